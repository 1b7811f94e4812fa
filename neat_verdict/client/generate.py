"""Makes `shapes` and `calls` of the description of the API: ``generate docs/openapi.json FOLDER``."""

from __future__ import annotations

import json
import keyword
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from textwrap import wrap
from typing import Any

_HEAD = """\"\"\"{}; made by `bin/types` from docs/openapi.json.\"\"\"

from __future__ import annotations

"""
_SCALARS = {"string": "str", "integer": "int", "number": "float", "boolean": "bool", "null": "None"}
_WIDTH = 110

Schema = Mapping[str, Any]


def main() -> int:
    """Write both modules into a folder."""
    described, folder = json.loads(Path(sys.argv[1]).read_text(encoding="utf-8")), Path(sys.argv[2])
    (folder / "shapes.py").write_text(shapes(described), encoding="utf-8")
    (folder / "calls.py").write_text(calls(described), encoding="utf-8")
    return 0


def type_of(schema: Schema, prefix: str = "") -> str:
    """A Python type for a JSON Schema; references get ``prefix``."""
    if "$ref" in schema:
        return f"{prefix}{schema['$ref'].rpartition('/')[2]}"
    if "enum" in schema or "const" in schema:
        values = schema.get("enum", [schema.get("const")])
        return f"Literal[{', '.join(repr(value) for value in values)}]"
    for several in ("anyOf", "oneOf", "allOf"):
        if several in schema:
            return " | ".join(dict.fromkeys(type_of(one, prefix) for one in schema[several]))
    kind = schema.get("type")
    if kind == "array":
        return f"list[{type_of(schema['items'], prefix) if schema.get('items') else 'Any'}]"
    if kind == "object" and isinstance(schema.get("additionalProperties"), Mapping):
        return f"dict[str, {type_of(schema['additionalProperties'], prefix)}]"
    if kind == "object":
        return prefix + schema["title"] if "properties" in schema and "title" in schema else "dict[str, Any]"
    if isinstance(kind, list):
        return " | ".join(_SCALARS[one] for one in kind)
    return _SCALARS.get(str(kind), "Any")


def operations(described: Schema) -> Iterator[tuple[str, str, Schema]]:
    """Address, method and description of each operation."""
    for path, methods in described["paths"].items():
        for method, operation in methods.items():
            yield path, method.upper(), operation


def shapes(described: Schema) -> str:
    """The module of what is sent and answered, a TypedDict each."""
    named = dict(described["components"]["schemas"])
    for _, _, operation in operations(described):
        for schema in _bodies(operation):
            if "properties" in schema and "title" in schema:
                named.setdefault(schema["title"], schema)
    made = [_shape(name, schema) for name, schema in sorted(named.items())]
    return _HEAD.format("Shapes of what is sent and answered") + (
        "from typing import Any, Literal, NotRequired, TypedDict\n\n\n" + "\n\n\n".join(made) + "\n"
    )


def _bodies(operation: Schema) -> Iterator[Schema]:
    content = operation.get("requestBody", {}).get("content", {})
    if "application/json" in content:
        yield content["application/json"]["schema"]


def _shape(name: str, schema: Schema) -> str:
    fields, required = schema.get("properties", {}), set(schema.get("required", ()))
    types = {
        field: type_of(value) if field in required else f"NotRequired[{type_of(value)}]"
        for field, value in fields.items()
    }
    if any(keyword.iskeyword(field) for field in types):
        listed = ", ".join(f'"{field}": "{value}"' for field, value in types.items())
        return f'{name} = TypedDict("{name}", {{{listed}}})'
    text = schema.get("description", "").replace("\\", "\\\\")
    lines = [f"class {name}(TypedDict):"]
    if text:
        lines += [f'    """{text.rstrip()}"""', ""]
    return "\n".join([*lines, *(f"    {field}: {value}" for field, value in types.items())] or [*lines, "    pass"])


def calls(described: Schema) -> str:
    """The module of operations: a function for each, which makes its call."""
    # What has headers of its own is signed, byte by byte, and not made here.
    made = [
        _call(path, method, operation)
        for path, method, operation in operations(described)
        if all(one["in"] != "header" for one in operation["parameters"])
    ]
    return _HEAD.format("What can be asked, a function for each operation") + (
        "from typing import Any, Literal\n\nfrom neat_verdict.client import shapes\n"
        "from neat_verdict.client.calling import Call, Upload, path_of\n\n\n" + "\n\n\n".join(sorted(made)) + "\n"
    )


def _call(path: str, method: str, operation: Schema) -> str:
    takes, passed = [], [f'"{method}"', _address(path, operation)]
    answer, kind = _answer(operation)
    passed.append(f'"{kind}"')
    keyed = []
    for parameter in operation["parameters"]:
        name, written = parameter["name"], type_of(parameter["schema"], "shapes.")
        if parameter["in"] == "path":
            takes.append(f"{_name(name)}: {written}")
        elif parameter["in"] == "query":
            keyed.append((name, written, parameter.get("required", False)))
    if keyed:
        passed.append(f"query={{{', '.join(f'{name!r}: {_name(name)}' for name, _, _ in keyed)}}}")
    content = operation.get("requestBody", {}).get("content", {})
    if "application/json" in content:
        takes.append(f"body: {type_of(content['application/json']['schema'], 'shapes.')}")
        passed.append("body=body")
    elif content:
        fields = content["multipart/form-data"]["schema"]
        plain = [name for name in fields["properties"] if name != "file"]
        takes.append("file: Upload")
        passed.append('files={"file": file}')
        keyed += [
            (name, type_of(fields["properties"][name], "shapes."), name in fields.get("required", ())) for name in plain
        ]
        if plain:
            passed.append(f"form={{{', '.join(f'{name!r}: {_name(name)}' for name in plain)}}}")
    if keyed:
        takes.append("*")
        for name, written, must in sorted(keyed, key=lambda one: not one[2]):
            takes.append(f"{_name(name)}: {written}" if must else f"{_name(name)}: {written} | None = None")
    words = "\n    ".join(wrap(" ".join(operation["description"].split()), _WIDTH))
    return (
        f"def {operation['operationId']}({', '.join(takes)}) -> Call[{answer}]:\n"
        f'    """{words}"""\n    return Call({", ".join(passed)})'
    )


def _address(path: str, operation: Schema) -> str:
    short = path.removeprefix("/api/v1")
    names = [one["name"] for one in operation["parameters"] if one["in"] == "path"]
    if not names:
        return f'"{short}"'
    return f'path_of("{short}", {", ".join(f"{name}={_name(name)}" for name in names)})'


def _answer(operation: Schema) -> tuple[str, str]:
    """The type of what an operation answers, and how it is read."""
    (answered,) = [answer for status, answer in operation["responses"].items() if status.startswith("2")]
    content = answered.get("content", {})
    if not content:
        return "None", "nothing"
    kind, media = next(iter(content.items()))
    if kind == "application/json" and media["schema"]:
        return type_of(media["schema"], "shapes."), "json"
    if kind == "application/x-ndjson":
        return f"list[{type_of(media['schema'], 'shapes.')}]", "lines"
    return "bytes", "bytes"


def _name(name: str) -> str:
    plain = name.lower().replace("-", "_")
    return f"{plain}_" if keyword.iskeyword(plain) or plain in ("set",) else plain


if __name__ == "__main__":
    sys.exit(main())
