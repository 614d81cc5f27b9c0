"""Settings and window layout, in one small file of the user's."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import platformdirs
from PySide6.QtCore import QSettings

RECENT_MOST = 10


class Settings:
    """Plain values by key; a damaged file counts as empty."""

    def __init__(self, file: Path | None = None) -> None:
        if file is None:
            file = Path(platformdirs.user_config_dir("sfumato", appauthor=False)) / "sfumato.ini"
        self._store = QSettings(str(file), QSettings.Format.IniFormat)

    def get(self, key: str, default: Any = None) -> Any:
        value = self._store.value(key)
        if value is None:
            return default
        if isinstance(default, bool):
            return value in (True, "true")
        return value

    def whole(self, key: str, default: int) -> int:
        """Return a whole number; the default for what is none."""
        try:
            return int(self._store.value(key))  # type: ignore[call-overload, no-any-return]
        except (TypeError, ValueError, OverflowError):
            return default

    def texts(self, key: str) -> list[str]:
        """Return a list of texts, which the store gives back as one text where it holds one."""
        found = self._store.value(key) or []
        return [str(f) for f in found] if isinstance(found, list) else [str(found)]

    def set(self, key: str, value: Any) -> None:
        self._store.setValue(key, value)

    @property
    def recent(self) -> list[str]:
        return self.texts("recent")

    def add_recent(self, file: Path) -> None:
        name = str(file)
        self._store.setValue("recent", [name, *(f for f in self.recent if f != name)][:RECENT_MOST])

    def sync(self) -> None:
        self._store.sync()
