"""Validation errors of pydantic in plain words."""

from collections.abc import Mapping
from typing import Any


def plain_message(item: Mapping[str, Any]) -> str:
    """The message of a validation error, without the name of the field: "must be more than 0"."""
    context = {
        name: f"{value:g}" if isinstance(value, int | float) else value for name, value in item.get("ctx", {}).items()
    }
    said = {
        "missing": "is missing",
        "extra_forbidden": "is not known here",
        "string_too_short": "must not be empty",
        "string_too_long": f"may have {context.get('max_length')} characters",
        "greater_than": f"must be more than {context.get('gt')}",
        "greater_than_equal": f"must be {context.get('ge')} or more",
        "less_than": f"must be less than {context.get('lt')}",
        "less_than_equal": f"must be {context.get('le')} or less",
        "literal_error": f"must be {context.get('expected')}",
        "finite_number": "must be a number",
        "float_parsing": "must be a number",
        "float_type": "must be a number",
        "int_parsing": "must be a whole number",
        "int_type": "must be a whole number",
        "int_from_float": "must be a whole number",
        "string_type": "must be text",
        "bool_parsing": "must be true or false",
        "bool_type": "must be true or false",
        "too_long": f"may have {context.get('max_length')} entries",
    }.get(item["type"])
    return said or str(item["msg"]).removeprefix("Value error, ")
