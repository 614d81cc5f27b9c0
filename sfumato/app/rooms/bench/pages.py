"""The pages of the Bench."""

from __future__ import annotations

MONITOR, ENGINE, FILTER = "Monitor", "Engine", "Filter"
PAGES = {
    MONITOR: "A look in a monitor-recorder on the camera.",
    ENGINE: "A look in a real-time engine, as a texture on a graphics chip.",
    FILTER: "A look in a filter on a phone.",
}
