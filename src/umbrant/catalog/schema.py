"""The JSON Schema (2020-12) of a project's files, from the documents and the
catalog.
"""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from pydantic.json_schema import models_json_schema

from umbrant.catalog.kind import ROWS, Catalog, Family, Kind
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import EventList
from umbrant.model.documents import Cover
from umbrant.model.folder import COVER_FILE, EVENTS_FILE, FOLDERS
from umbrant.model.values import ProjectFile

DIALECT = "https://json-schema.org/draft/2020-12/schema"

Schema = dict[str, Any]

NO_MORE: Mapping[str, type[ProjectFile]] = MappingProxyType({})
_NAMED = ("Behavior", "Blackboard", "Stage", "Scenario")


def project_schema(
    catalog: Catalog, more: Mapping[str, type[ProjectFile]] = NO_MORE
) -> Schema:
    """One schema for every file of a project: a file is valid if it is one of
    the documents. `more` are documents that the model does not know, by where
    they are kept.

    With the catalog of a project its own nodes are in it. Which document a
    file holds is said by its place; `x-files` lists these, for programs that
    want to be exact.
    """
    models: list[Any] = [
        (Cover, "validation"),
        (EventList, "validation"),
        *(
            (kind, "validation")
            for kind in (*FOLDERS.values(), *more.values())
        ),
    ]
    _, schema = models_json_schema(
        models, by_alias=True, ref_template="#/$defs/{model}"
    )
    defs: Schema = schema["$defs"]
    for name in _NAMED:
        _without_name(defs[name])
    _narrow(defs["Row"], catalog.family(*ROWS))
    _narrow(defs["Decorator"], catalog.family(Family.DECORATOR))
    _narrow(
        defs["Upkeep"],
        [
            kind
            for kind in catalog.family(Family.ACTION)
            if not kind.takes_time
        ],
    )
    files = {
        COVER_FILE: "Cover",
        EVENTS_FILE: "EventList",
        **{
            f"{place}/*.json": kind.__name__
            for place, kind in (*FOLDERS.items(), *more.items())
        },
    }
    return {
        "$schema": DIALECT,
        "title": "A file of an Umbrant project",
        "anyOf": [{"$ref": f"#/$defs/{name}"} for name in files.values()],
        "x-files": {file: f"#/$defs/{name}" for file, name in files.items()},
        "$defs": defs,
    }


def _without_name(document: Schema) -> None:
    """A document's name is its file's name and stands nowhere in the file."""
    document["properties"].pop("name")
    document["required"] = [
        field for field in document.get("required", []) if field != "name"
    ]


def _narrow(holder: Schema, kinds: list[Kind]) -> None:
    """Let `kind` be one of these kinds, and `with` what that kind takes."""
    holder["properties"]["kind"] = {
        "type": "string",
        "enum": [kind.id for kind in kinds],
    }
    holder["allOf"] = [
        {
            "if": {
                "properties": {"kind": {"const": kind.id}},
                "required": ["kind"],
            },
            "then": {"properties": {"with": _args(kind)}},
        }
        for kind in kinds
    ]


def _args(kind: Kind) -> Schema:
    return {
        "type": "object",
        "description": kind.help,
        "properties": {param.name: _param(param) for param in kind.params},
        "additionalProperties": False,
    }


def _param(param: Param) -> Schema:
    forms: list[Schema] = []
    if param.keys:
        forms.append({"$ref": "#/$defs/KeyRef"})
    match param.type:
        case ParamType.NUMBER | ParamType.SPREAD:
            forms.append(_number(param))
            if param.type is ParamType.SPREAD:
                forms.append({"$ref": "#/$defs/Spread"})
        case ParamType.YES_NO:
            forms.append({"type": "boolean"})
        case ParamType.CHOICE:
            forms.append({"enum": list(param.choices)})
        case ParamType.PLACE:
            point = {
                "type": "array",
                "prefixItems": [{"type": "number"}] * 2,
                "minItems": 2,
                "maxItems": 2,
            }
            forms.extend(
                [{"$ref": "#/$defs/PlaceRef"}, point, {"type": "string"}]
            )
        case ParamType.CURVE:
            forms.append({"$ref": "#/$defs/Curve"})
        case ParamType.KEY:
            pass
        case _:
            forms.append({"type": "string"})
    return {"description": param.help, "anyOf": forms}


def _number(param: Param) -> Schema:
    bounds = {"minimum": param.quantity.low, "maximum": param.quantity.high}
    return {
        "type": "number",
        **{name: bound for name, bound in bounds.items() if bound is not None},
    }
