"""What is in a pile that was dropped: recordings and music among files, folders and zip files."""

from __future__ import annotations

import contextlib
import re
import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path

from jeweller.audio.formats import is_recording
from jeweller.errors import LedgerError
from jeweller.files import ZIP_ERRORS, shown_name, shown_text
from jeweller.i18n import _
from jeweller.notation.formats import ENDINGS

ARCHIVE_BYTES = 4 * 2**30  # unpacked; a zip of more is none of a class
NAME_BYTES, LONGEST_ENDING = 180, 12  # of a file's name: disks take 255 bytes


def recordings(sources: Iterable[Path], unpack_to: Path) -> tuple[list[Path], list[str]]:
    """Every recording among files, folders and zip files, and a sentence for each thing that is none. Zip
    files are unpacked below `unpack_to`.
    """
    found: list[Path] = []
    told: list[str] = []
    for source in sources:
        if source.is_dir():
            found += sorted(
                p for p in source.rglob("*") if p.is_file() and is_recording(p) and not p.name.startswith(".")
            )
        elif source.suffix.casefold() == ".zip":
            try:
                found += _unpacked(source, unpack_to)
            except LedgerError as error:
                told.append(str(error))
        elif is_recording(source):
            found.append(source)
        else:
            told.append(_("{name} is no recording, folder or zip file.").format(name=shown_name(source)))
    if not found and not told:
        told.append(_("There is no recording here (.wav, .flac, .ogg, .opus, .mp3, .m4a and others are)."))
    return found, told


def music_in(sources: Iterable[Path], unpack_to: Path) -> list[Path]:
    """Every notation file among files, folders and zip files; what is in zip files is unpacked below
    `unpack_to`.
    """
    found: list[Path] = []
    for source in sources:
        if source.is_dir():
            found += sorted(p for p in source.rglob("*") if is_music(p) and p.is_file())
        elif source.suffix.casefold() == ".zip":
            with contextlib.suppress(LedgerError):  # `recordings` tells of what cannot be unpacked
                found += _unpacked(source, unpack_to / "music", is_music)
        elif is_music(source):
            found.append(source)
    return found


def is_music(path: Path) -> bool:
    """Whether a file is named as notation."""
    return path.suffix.casefold() in ENDINGS and not path.name.startswith(".")


def _unpacked(archive: Path, target: Path, wanted: Callable[[Path], bool] = is_recording) -> list[Path]:
    """The recordings of a zip file, or what else is wanted of it, unpacked under names of ours, in folders as
    they lay.
    """
    out = []
    try:
        with zipfile.ZipFile(archive) as packed:
            members = [
                m
                for m in packed.infolist()
                if not m.is_dir() and wanted(Path(m.filename)) and "__MACOSX" not in m.filename
            ]
            if sum(m.file_size for m in members) > ARCHIVE_BYTES:
                raise LedgerError(
                    _("{name} is larger than four gigabytes unpacked; take its folders one by one.").format(
                        name=archive.name
                    )
                )
            for k, member in enumerate(members):
                inside = Path(member.filename.replace("\\", "/"))
                folder = target / f"{k:04d}" / _plain_name(inside.parent.name)
                folder.mkdir(parents=True, exist_ok=True, mode=0o700)
                path = folder / (_plain_name(inside.name) or f"take{inside.suffix}")
                with packed.open(member) as read, path.open("wb") as write:
                    while block := read.read(1 << 20):
                        write.write(block)
                out.append(path)
    except ZIP_ERRORS as error:
        raise LedgerError(
            _("{name} cannot be unpacked ({error}).").format(name=archive.name, error=error)
        ) from error
    return out


def _plain_name(name: str) -> str:
    """A name that any disk takes: its ending stays, what is too long (in bytes) goes before it."""
    if name in (".", ".."):
        return ""
    plain = re.sub(r"[/\\\0]", "_", shown_text(name)).strip(". ")
    stem, dot, ending = plain.rpartition(".")
    if not dot or len(ending) > LONGEST_ENDING:
        stem, dot, ending = plain, "", ""
    return stem.encode("utf-8")[:NAME_BYTES].decode("utf-8", errors="ignore") + dot + ending
