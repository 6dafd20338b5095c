"""Base of immutable, checked documents."""

from pydantic import BaseModel, ConfigDict


class Value(BaseModel):
    """A frozen document. Unknown fields are refused, defaults are checked, and a document that is read has all
    fields."""

    model_config = ConfigDict(
        frozen=True, extra="forbid", validate_default=True, json_schema_serialization_defaults_required=True
    )
