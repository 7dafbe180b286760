"""Sets, descriptions and answers of compare (FILE.json) against their JSON Schemas, with a validator that isn't ours.

schema.py SOURCE SET... [FILE.json...]"""
import json
import sys

import jsonschema
import yaml

source = sys.argv[1]
sets = [name for name in sys.argv[2:] if name.endswith(".bset")]
answers = [name for name in sys.argv[2:] if name.endswith(".json")]
with open(source + "/docs/schema/set-line.json") as f:
    schema = json.load(f)
jsonschema.Draft202012Validator.check_schema(schema)
line_validator = jsonschema.Draft202012Validator(schema)
lines = 0
for path in sets:
    with open(path, encoding="utf-8") as f:
        for number, line in enumerate(f, 1):
            errors = list(line_validator.iter_errors(json.loads(line)))
            if errors:
                sys.exit(f"{path}:{number}: {errors[0].message}")
            lines += 1

with open(source + "/docs/schema/description.json") as f:
    schema = json.load(f)
jsonschema.Draft202012Validator.check_schema(schema)
description_validator = jsonschema.Draft202012Validator(schema)


def with_text_keys(value):
    if isinstance(value, dict):
        return {str(k): with_text_keys(v) for k, v in value.items()}
    return [with_text_keys(v) for v in value] if isinstance(value, list) else value


for model in ("descriptions/ed-30", "descriptions/ec-8", "descriptions/ew-4", "descriptions/el-16", "descriptions/en-2", "tests/one-of-each"):
    with open(f"{source}/{model}.yaml", encoding="utf-8") as f:
        document = with_text_keys(yaml.safe_load(f))
    errors = list(description_validator.iter_errors(document))
    if errors:
        sys.exit(f"{model}: {list(errors[0].path)}: {errors[0].message}")

with open(source + "/docs/schema/compare.json") as f:
    schema = json.load(f)
jsonschema.Draft202012Validator.check_schema(schema)
for name in answers:
    with open(name, encoding="utf-8") as f:
        errors = list(jsonschema.Draft202012Validator(schema).iter_errors(json.load(f)))
    if errors:
        sys.exit(f"{name}: {list(errors[0].path)}: {errors[0].message}")

# and the schemas refuse what is wrong
wrong_lines = [
    {"id": "a.b", "type": "u8", "class": "setup", "raw": "0000", "value": 1, "name": "x"},
    {"id": "A", "type": "u8", "class": "setup", "raw": "00", "value": 0, "name": "x"},
    {"id": "a", "type": "u8", "class": "live", "raw": "00", "value": 0, "name": "x"},
    {"id": "a", "type": "u64", "class": "setup", "raw": "0000000000000000", "value": 0, "name": "x"},
    {"left_out": "a", "class": "setup", "name": "x"},
    {"chunk": "AAA"},
    {"bilancia_set": 1},
]
for line in wrong_lines:
    if line_validator.is_valid(line):
        sys.exit(f"the schema accepts {line}")
document["parameters"]["Bad Id"] = {"name": "x", "type": "u8", "class": "setup", "at": 1}
if description_validator.is_valid(document):
    sys.exit("the schema accepts a wrong id")
del document["parameters"]["Bad Id"]
wrong_links = [{"enter": "/x"}, {"greets": "x"}, {"slot": "x"}, {"login": {"greets": "x"}}, {"login": {"greets": "x", "asks": "y", "user": "z"}}]
for link in wrong_links:
    if description_validator.is_valid({**document, "link": {**document["link"], **link}}):
        sys.exit(f"the schema accepts a link with {link}")
print(f"schema: {lines + 3 + len(wrong_lines) + 1 + len(wrong_links)} passed, 0 failed")
