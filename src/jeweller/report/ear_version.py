"""Which ear made a report: a hash of every number that influences a verdict, and of every fitted weight.
Another number is another ear, and what it says may differ.
"""

from __future__ import annotations

import dataclasses
import functools
import hashlib
import json
from pathlib import Path
from types import ModuleType

import jeweller.alignment.settings
import jeweller.assessment
import jeweller.assessment.finding
import jeweller.assessment.joint_limits
import jeweller.assessment.limits
import jeweller.assessment.settings
import jeweller.features.settings
import jeweller.notes.detail_settings
import jeweller.notes.settings
from jeweller.files import parse_json
from jeweller.setting import numbers_of

PACKAGES = (
    jeweller.features.settings,
    jeweller.alignment.settings,
    jeweller.notes.settings,
    jeweller.notes.detail_settings,
    jeweller.assessment.settings,
    jeweller.assessment.limits,
    jeweller.assessment.joint_limits,
)
# What no number tells: raised where a rule comes or goes.
RULES = 11


def numbers_in(module: ModuleType) -> dict[str, object]:
    """Every declared number of a settings module, by "group.name".

    >>> import jeweller.features.settings
    >>> numbers_in(jeweller.features.settings)["DEFAULT.hop"]
    110
    """
    return {
        f"{group}.{name}": value
        for group, settings in sorted(vars(module).items())
        if dataclasses.is_dataclass(settings) and not isinstance(settings, type)
        for name, value, _told in numbers_of(settings)
    }


@functools.cache
def ear_version() -> str:
    """Twelve letters; the same for the same ear on every machine.

    >>> len(ear_version())
    12
    """
    told: dict[str, object] = {"rules": RULES, "tolerances": jeweller.assessment.settings.TOLERANCES}
    for module in PACKAGES:
        told[module.__name__] = numbers_in(module)
    told["asked"] = dataclasses.asdict(jeweller.assessment.settings.AssessmentSettings())
    told["calibration"] = (jeweller.assessment.finding.RAW, jeweller.assessment.finding.RIGHT)
    for package in (jeweller.alignment, jeweller.assessment):
        for weights in sorted(Path(str(package.__file__)).parent.glob("*.json")):
            told[weights.name] = parse_json(weights.read_text(encoding="utf-8"))
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()[:12]
