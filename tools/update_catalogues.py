#!/usr/bin/env python3
"""Takes the messages out of the source and brings the catalogues up to date.

    tools/update_catalogues.py           extracts, merges into every language, compiles
    tools/update_catalogues.py --check   says what is not up to date; exits with 1 then

A language is `src/jeweller/assets/locale/LANGUAGE/LC_MESSAGES/jeweller.po`. What it does not translate is said
as it is written in the source.
"""

from __future__ import annotations

import datetime
import io
import json
import sys
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).parent.parent / "src" / "jeweller"
LOCALE = SOURCE / "assets" / "locale"
UNDATED = datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)
UNSTABLE = (b'"POT-Creation', b'"PO-Revision', b'"Generated-By', b'"Last-T', b'"Language-Team', b'"Report-')
KEYWORDS = {"_": None, "N_": None, "ngettext": (1, 2), "NN_": (1, 2)}


def extract() -> Catalog:
    """Every message of the source, in the order of the files."""
    catalogue = Catalog(project="Jeweller", charset="utf-8", fuzzy=False)
    found = extract_from_dir(
        str(SOURCE),
        method_map=[("**.py", "python"), ("**.html", "jinja2")],
        keywords=KEYWORDS,
        comment_tags=("Translators:",),
    )
    for path, line, message, comments, context in sorted(found, key=lambda f: (f[0], f[1])):
        catalogue.add(message, None, [(path, line)], auto_comments=comments, context=context)
    for message in instrument_words():
        catalogue.add(message, None, [("instruments/table.json", 1)])
    for message in care_words():
        catalogue.add(message, None, [("instruments/care.json", 1)])
    for message in remedy_words():
        catalogue.add(message, None, [("practice/remedies.json", 1)])
    return catalogue


def instrument_words() -> list[str]:
    """What a user reads of the instrument table: names, registers, what is moved to tune, mutes."""
    table = json.loads((SOURCE / "instruments" / "table.json").read_text(encoding="utf-8"))["instruments"]
    words = []
    for entry in table:
        words += [entry["name"], entry["tuning"], *entry.get("mutes", ())]
        words += [f"register {name}" for name, _lowest in entry["registers"]]
    return [w for w in dict.fromkeys(words) if w]


def care_words() -> list[str]:
    """Every row of the care lists, every caution."""
    table = json.loads((SOURCE / "instruments" / "care.json").read_text(encoding="utf-8"))
    rows = [row for lists in table["lists"].values() for named in lists.values() for row in named]
    return list(dict.fromkeys([*rows, *(c["text"] for c in table["cautions"])]))


def remedy_words() -> list[str]:
    """What the remedy table says: to look at, to try first and next, to mind; its schools."""
    table = json.loads((SOURCE / "practice" / "remedies.json").read_text(encoding="utf-8"))
    rows = [row[name] for row in table["rows"] for name in ("look", "first", "next", "caution")]
    schools = [
        words
        for school in table["schools"].values()
        for words in (school["name"], *school["choices"].values())
    ]
    return [w for w in dict.fromkeys([*rows, *schools]) if w]


def merged(written: bytes, locale: str, template: Catalog) -> Catalog:
    """A language with the messages of now; what nobody says any more is dropped."""
    catalogue = read_po(io.BytesIO(written), locale=locale)
    catalogue.update(template, no_fuzzy_matching=True)
    catalogue.obsolete.clear()
    return catalogue


def as_bytes(catalogue: Catalog) -> tuple[bytes, bytes]:
    """What is written of it: PO without places and dates, which change with every line, and MO."""
    catalogue.header_comment = f"# {catalogue.locale}: what is said otherwise than in the source."
    catalogue.msgid_bugs_address = catalogue.last_translator = catalogue.language_team = ""
    catalogue.version = ""
    catalogue.creation_date = catalogue.revision_date = UNDATED
    po, mo = io.BytesIO(), io.BytesIO()
    write_po(po, catalogue, no_location=True, omit_header=False, sort_output=True, width=100)
    write_mo(mo, catalogue)
    lines = [x for x in po.getvalue().split(b"\n") if not x.startswith(UNSTABLE)]
    return b"\n".join(lines), mo.getvalue()


def main() -> int:
    template = extract()
    stale = []
    for path in sorted(LOCALE.glob("*/LC_MESSAGES/jeweller.po")):
        po, _unused = as_bytes(merged(path.read_bytes(), path.parts[-3], template))
        po, mo = as_bytes(merged(po, path.parts[-3], template))  # where a message became a plural one
        compiled = path.with_suffix(".mo")
        if po != path.read_bytes() or not compiled.exists() or mo != compiled.read_bytes():
            stale.append(str(path.relative_to(LOCALE)))
            if "--check" not in sys.argv:
                path.write_bytes(po)
                compiled.write_bytes(mo)
    print(f"{len(template)} messages; " + ("; ".join(stale) if stale else "every catalogue is up to date"))
    return 1 if stale and "--check" in sys.argv else 0


if __name__ == "__main__":
    sys.exit(main())
