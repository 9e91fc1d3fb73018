"""The JSON Schema of the recipe. ``python -m tin_kettle.core.recipe.schema [--written]`` prints it."""

from __future__ import annotations

import json
import sys
from typing import Any

from pydantic import ConfigDict
from pydantic.json_schema import GenerateJsonSchema

from tin_kettle.core.recipe.model import Recipe


class _Schema(GenerateJsonSchema):
    def field_title_should_be_set(self, schema: Any) -> bool:
        return False


def recipe_schema() -> dict[str, Any]:
    """What may be read: fields that are left out take their defaults. Shipped as ``docs/recipe.schema.json``."""
    return Recipe.model_json_schema(schema_generator=_Schema)


def written_schema() -> dict[str, Any]:
    """What is written: every field is there. The front end's types come from it."""

    class Written(Recipe):
        model_config = ConfigDict(title="Recipe", json_schema_serialization_defaults_required=True)

    return Written.model_json_schema(schema_generator=_WrittenSchema, mode="serialization")


class _WrittenSchema(_Schema):
    def field_is_required(self, field: Any, total: bool) -> bool:
        return True


if __name__ == "__main__":
    schema = written_schema() if "--written" in sys.argv else recipe_schema()
    sys.stdout.write(json.dumps(schema, indent=2, ensure_ascii=False) + "\n")
