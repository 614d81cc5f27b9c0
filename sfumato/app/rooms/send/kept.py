"""Whether outlets are kept current: known before the room is there, for it works unseen then."""

from __future__ import annotations

from sfumato.app.services.settings import Settings

_KEPT = "send_keep"


def keeps_current(settings: Settings) -> bool:
    """Return whether outlets are sent to again by themselves when the study is changed."""
    return bool(settings.get(_KEPT, False))


def keep_current(settings: Settings, on: bool) -> None:
    """Remember whether they are."""
    settings.set(_KEPT, on)
