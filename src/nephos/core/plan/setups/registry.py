"""The kinds of setup that a plan may have. A new one is a module here and one line in `_MODULES`."""

from importlib import import_module
from typing import Annotated

from pydantic import BeforeValidator, GetJsonSchemaHandler, SerializeAsAny
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from nephos.core.plan.setups.setup import Setup

_MODULES = ("face", "rotary", "tiled")
_KINDS: dict[str, type[Setup]] = {}


def register(kind: type[Setup]) -> type[Setup]:
    """Make a class one of the kinds, under the value of its field `kind`."""
    _KINDS[str(kind.model_fields["kind"].default)] = kind
    return kind


for _name in _MODULES:
    for _kind in import_module(f"nephos.core.plan.setups.{_name}").KINDS:
        register(_kind)


def _of_its_kind(data: object) -> object:
    """Read a setup as the kind that it names; one that names none is a face."""
    if not isinstance(data, dict):
        return data
    kind = str(data.get("kind", "face"))
    if kind not in _KINDS:
        raise ValueError(f"there is no kind of setup '{kind}': use one of {', '.join(_KINDS)}")
    return _KINDS[kind].model_validate(data)


class _OneOfKinds:
    """JSON schema of a setup: a union of the kinds, with the discriminator `kind`."""

    @classmethod
    def __get_pydantic_json_schema__(cls, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        named = {name: handler(kind.__pydantic_core_schema__) for name, kind in _KINDS.items()}
        mapping = {name: schema["$ref"] for name, schema in named.items()}
        return {"oneOf": list(named.values()), "discriminator": {"propertyName": "kind", "mapping": mapping}}


AnySetup = Annotated[SerializeAsAny[Setup], BeforeValidator(_of_its_kind), _OneOfKinds]
"""A setup of any kind, as it is read and written."""
