"""The OpenAPI document of the API: as it is read by the page."""

from typing import Any

from ninja import NinjaAPI
from ninja.openapi.schema import OpenAPISchema
from pydantic.json_schema import JsonSchemaMode

_REFUSALS = {
    "400": "the request is not one that Nephos answers",
    "401": "the request does not come from the page of Nephos",
    "403": "the request does not come from the page of Nephos",
    "404": "there is no such thing",
    "405": "this cannot be done here",
    "409": "somebody else changed it first",
    "413": "the body is too large",
    "422": "bad input: one plain sentence",
    "500": "a fault of Nephos, with the number of the request",
    "503": "the database does not answer",
    "507": "the disk is full",
}
_SENTENCE = {"application/json": {"schema": {"type": "object"}}}


class AsRead(OpenAPISchema):
    """A document in which a model that is both sent and read is described as it is read: with all fields."""

    def _create_schema_from_model(
        self, model: Any, by_alias: bool = True, remove_level: bool = True, mode: JsonSchemaMode = "validation"
    ) -> Any:
        read = self.__dict__.setdefault("_read", {})
        found = super()._create_schema_from_model(model, by_alias, remove_level, mode)
        if mode == "serialization":
            read.update({name: self.schemas[name] for name in _names_in(model, mode)})
        self.schemas.update(read)
        return found


def _names_in(model: Any, mode: JsonSchemaMode) -> list[str]:
    """Names of the models within one."""
    return list(model.model_json_schema(mode=mode).get("$defs", {}))


class Described(NinjaAPI):
    """An API whose description names the refusals that any request may meet."""

    def get_openapi_schema(self, *, path_prefix: str | None = None, path_params: Any = None) -> OpenAPISchema:
        """The OpenAPI document."""
        document = AsRead(self, self.get_root_path(path_params or {}) if path_prefix is None else path_prefix)
        for path in document["paths"].values():
            for operation in path.values():
                for status, text in _REFUSALS.items():
                    operation["responses"].setdefault(int(status), {"description": text, "content": _SENTENCE})
        return document
