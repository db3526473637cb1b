"""Checks a report against the JSON Schema that lies beside this file."""

from __future__ import annotations

import functools
from pathlib import Path

from jsonschema import Draft202012Validator

from jeweller.files import parse_json
from jeweller.report_format import TakeReport


@functools.cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(
        parse_json((Path(__file__).parent / "schema.json").read_text(encoding="utf-8"))
    )


def find_problems(report: TakeReport) -> list[str]:
    """What does not fit the schema, as "place: message"; empty for a good report.

    >>> find_problems({})[0]
    ": 'schema' is a required property"
    """
    return [
        f"{'/'.join(str(p) for p in e.absolute_path)}: {e.message[:200]}"
        for e in _validator().iter_errors(report)
    ]
