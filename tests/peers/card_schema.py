"""Holds cards against the schema, as an editor does. Prints a line for each: fits or does not.

usage: card_schema.py SCHEMA CARD...
"""
import json
import sys

import jsonschema
import yaml

schema = json.load(open(sys.argv[1]))
jsonschema.Draft202012Validator.check_schema(schema)
check = jsonschema.Draft202012Validator(schema)
for path in sys.argv[2:]:
    try:
        card = yaml.load(open(path), Loader=yaml.SafeLoader)
    except yaml.YAMLError:
        print("no YAML")
        continue
    print("fits" if check.is_valid(card) else "does not")
