"""The JSON Schema of a preparation file, made from the operations themselves."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import PreparationError, did_you_mean
from .operations import OPERATIONS
from .values import said

FRAME = {
    "type": "object",
    "description": "What the column looked like in the training rows: rows, share missing, quantiles at 0, 1, 5, 10, "
    "15, … 95, 99 and 100 %, of few values the rows at each, or the rows at each level.",
    "properties": {
        "rows": {"type": "integer", "minimum": 0},
        "cases": {"type": "integer", "minimum": 0},
        "missing": {"type": "number", "minimum": 0, "maximum": 1},
        "quantiles": {"type": "array", "items": {"type": ["number", "string"]}, "minItems": 23, "maxItems": 23},
        "values": {
            "type": "array",
            "items": {"type": "array", "items": {"type": "number"}, "minItems": 2, "maxItems": 2},
        },
        "levels": {"type": "object", "additionalProperties": {"type": "integer", "minimum": 0}},
    },
    "required": ["rows", "cases", "missing"],
    "additionalProperties": False,
}
MOST_SEED = 2**63 - 1
VERSION = 2
"""Of the file's form. Files of earlier versions are read for ever."""


def preparation_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a preparation file."""
    known = []
    for name, kind in OPERATIONS.items():
        options = {
            key: {**option.schema, "description": option.says, "default": option.default}
            for key, option in kind.OPTIONS.items()
        }
        known.append(
            {
                "title": name,
                "description": kind.says,
                "type": "object",
                "properties": {
                    "operation": {"const": name},
                    "columns": {"type": "array", "items": {"type": "string", "minLength": 1}, "uniqueItems": True},
                    **options,
                    "reason": {"type": "string"},
                    "finding": {"type": "string"},
                    "digest": {"type": "string", "description": "Of the options that what was learned belongs to."},
                    "fitted": {"type": "object", "description": "What was learned from the training rows."},
                },
                "required": ["operation", "columns"],
                "additionalProperties": False,
            }
        )
    column = {
        "type": "object",
        "properties": {
            "name": {"type": "string"},
            "type": {"enum": ["number", "text", "date"]},
            "frame": FRAME,
            "zone": {"type": "string"},
        },
        "required": ["name", "type"],
        "additionalProperties": False,
    }
    suggestion = {
        "type": "object",
        "description": "What could be done and is not, since it is for a person to say.",
        "properties": {
            "operation": {"type": "string"},
            "columns": {"type": "array", "items": {"type": "string"}},
            "says": {"type": "string"},
            "finding": {"type": "string"},
        },
        "required": ["operation", "columns", "says"],
        "additionalProperties": False,
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "An Envelt preparation",
        "description": "Operations in order, each with its reason and, once fitted, with what it learned.",
        "type": "object",
        "properties": {
            "envelt": {"const": "preparation"},
            "version": {"type": "integer", "minimum": 1},
            "outcome": {"type": ["string", "null"], "description": "The column that rates are learned from."},
            "event": {"type": ["string", "null"], "description": "The level that rates are of, of an outcome of two."},
            "unit": {"type": ["string", "null"], "description": "The column that says which rows are one case."},
            "seed": {"type": "integer", "minimum": 0, "maximum": MOST_SEED},
            "absent": {"enum": ["error", "missing"], "description": "What a column that is gone is taken as."},
            "operations": {"type": "array", "items": {"oneOf": known}},
            "suggestions": {"type": "array", "items": suggestion},
            "fitted": {
                "type": "object",
                "properties": {
                    "rows": {"type": "integer", "minimum": 1},
                    "columns": {"type": "array", "items": column},
                    "features": {"type": "array", "items": {"type": "string"}},
                },
                "required": ["rows", "columns", "features"],
                "additionalProperties": False,
            },
        },
        "required": ["envelt", "version", "operations"],
        "additionalProperties": False,
    }


def check_form(found: Any) -> None:
    """Refuse what is not a preparation.

    Raises
    ------
    PreparationError
        With the place in the file.
    """
    schema = preparation_schema()
    items = schema["properties"]["operations"]["items"]["oneOf"]
    schema["properties"]["operations"]["items"] = {}
    _validated(schema, found, "")
    for i, operation in enumerate(found["operations"]):
        place = f"operation {i + 1}"
        name = operation.get("operation") if isinstance(operation, Mapping) else None
        if not isinstance(name, str) or name not in OPERATIONS:
            raise PreparationError(
                f"The preparation's {place} is {name!r}, which is unknown.{did_you_mean(str(name), OPERATIONS)}"
            )
        _validated(items[list(OPERATIONS).index(name)], operation, f"{place} ({name})")


def _validated(schema: Mapping[str, Any], found: Any, place: str) -> None:
    import jsonschema

    try:
        jsonschema.Draft202012Validator(dict(schema)).validate(found)
    except jsonschema.ValidationError as error:
        where = ".".join(map(str, error.absolute_path))
        at = " of ".join(p for p in (where, place) if p) or "the file"
        raise PreparationError(f"This is not a preparation that can be used: in {at}, {said(error)}.") from None
