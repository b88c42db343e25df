"""The shop's settings: kept in the XDG config folder, read once, written whole."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

import platformdirs
from pydantic import Field, ValidationError, model_validator

from bibulon.job import Job
from bibulon.job.base import Model
from bibulon.job.hold import HoldRules
from bibulon.job.house import HouseRules
from bibulon.quantities import Reading, System, Units
from bibulon.stock.new_job import new_job
from bibulon.whole_file import write_own

MOST_RECENT = 8
Appearance = Literal["desktop", "light", "dark"]
"""Light or dark, or whichever the desktop asks for."""
OLD_THEMES = {"linen": "light", "lamplight": "dark"}


class Settings(Model):
    """What a shop chooses once."""

    system: System = "metric"
    reading: Reading = "absolute"
    currency: Annotated[str, Field(min_length=1, max_length=6)] = "€"
    appearance: Appearance = "desktop"
    instruments_url: str = ""
    recent: tuple[str, ...] = ()
    house: HouseRules = HouseRules()
    """The rules that new jobs begin with,"""
    hold_rules: HoldRules = HoldRules()
    """and those of the hold test."""

    @model_validator(mode="before")
    @classmethod
    def _from_before(cls, data: Any) -> Any:
        """Settings of earlier versions called it the theme."""
        if isinstance(data, dict) and "theme" in data:
            data = dict(data)
            data.setdefault("appearance", OLD_THEMES.get(data.pop("theme"), "desktop"))
        return data

    def new_job(self) -> Job:
        """A new job, judged by the shop's rules."""
        return new_job(self.house, self.hold_rules)

    def units(self, barometer_pa: float) -> Units:
        return Units(self.system, self.reading, barometer_pa, self.currency)

    def with_recent(self, path: Path) -> Settings:
        """The settings with *path* first among the recent jobs."""
        name = str(path.resolve())
        rest = tuple(recent for recent in self.recent if recent != name)
        return self.model_copy(update={"recent": (name, *rest)[:MOST_RECENT]})


def settings_file() -> Path:
    return Path(platformdirs.user_config_dir("bibulon")) / "settings.json"


def state_folder() -> Path:
    """Where unsaved work and run journals are kept."""
    return Path(platformdirs.user_state_dir("bibulon"))


def load_settings() -> Settings:
    """The settings; defaults where the file is missing or cannot be used."""
    try:
        return Settings.model_validate_json(settings_file().read_text(encoding="utf-8"))
    except (OSError, ValidationError, UnicodeDecodeError):
        return Settings()


def save_settings(settings: Settings) -> str:
    """Write the settings. Returns why that cannot be done, if so: they then hold for this session only."""
    try:
        write_own(settings_file(), settings.model_dump_json(indent=1))
    except OSError as error:
        return error.strerror or str(error)
    return ""
