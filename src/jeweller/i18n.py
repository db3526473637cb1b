"""The message catalogue: every sentence that a user reads is looked up here, by gettext.

The words in the source are the messages. A language is a catalogue in `assets/locale`; what a catalogue does
not hold is said as it is written. The language belongs to the context (`contextvars`): reports are written in
the language of the source wherever they are made, and shown in the one that was chosen.
"""

from __future__ import annotations

import contextlib
import gettext as _gettext
from collections.abc import Iterator
from contextvars import ContextVar
from functools import cache

from jeweller.assets import LOCALE
from jeweller.errors import SettingError

DOMAIN = "jeweller"
SOURCE = "en"
# What each is called in the window, in its own words.
LANGUAGES = {
    SOURCE: "English: bar, quarter note",
    "en_GB": "English (UK): bar, crotchet",
    "en_US": "English (US): measure, quarter note",
    "de": "Deutsch",
    "es": "Español",
}


@cache
def _catalogue(language: str) -> _gettext.NullTranslations:
    if language == SOURCE:
        return _gettext.NullTranslations()
    return _gettext.translation(DOMAIN, LOCALE, [language])


_language: ContextVar[str] = ContextVar("language", default=SOURCE)


def _(message: str) -> str:
    """The message in the language that is chosen; nothing is nothing in all of them.

    >>> use_language("en_GB")
    >>> _("eighth notes"), _("")
    ('quavers', '')
    >>> use_language("en")
    """
    # In a catalogue the empty message stands for what is known of the catalogue itself.
    return _catalogue(_language.get()).gettext(message) if message else ""


def ngettext(one: str, several: str, number: float) -> str:
    """The message for this number of things, in the language that is chosen.

    >>> ngettext("{n} take", "{n} takes", 2).format(n=2)
    '2 takes'
    """
    return _catalogue(_language.get()).ngettext(one, several, 1 if number == 1 else 2)


def N_(message: str) -> str:
    """Marks a message that is looked up later, where it is shown."""
    return message


def NN_(one: str, several: str) -> tuple[str, str]:
    """Marks a message with its plural; `ngettext` looks it up where it is shown."""
    return one, several


def source_messages() -> dict[str, str]:
    """By what is shown in the language that is chosen, the message it stands for; those alone that differ."""
    catalogue = _catalogue(_language.get())
    # A catalogue of the standard library lists its messages nowhere else.
    pairs = getattr(catalogue, "_catalog", {}).items()
    return {shown: message for message, shown in pairs if isinstance(message, str) and message and shown}


def chosen_language() -> str:
    return _language.get()


def find_language(name: str) -> str:
    """A key of LANGUAGES. Raises SettingError."""
    if name not in LANGUAGES:
        raise SettingError(
            _("There is no language “{name}”; there are {names}.").format(
                name=name, names=", ".join(LANGUAGES)
            )
        )
    return name


def language_of(locale: str) -> str:
    """The language for a desktop's locale: its own where there is one, that of the source else.

    >>> language_of("de_AT"), language_of("en_GB.UTF-8"), language_of("fr_FR")
    ('de', 'en_GB', 'en')
    """
    name = locale.partition(".")[0]
    return next((n for n in (name, name.partition("_")[0]) if n in LANGUAGES), SOURCE)


def use_language(language: str) -> None:
    """From now on in this context. Raises SettingError."""
    _language.set(find_language(language))


@contextlib.contextmanager
def in_language(language: str) -> Iterator[None]:
    """A stretch in another language, for example reports in that of the source."""
    before = _language.set(find_language(language))
    try:
        yield
    finally:
        _language.reset(before)
