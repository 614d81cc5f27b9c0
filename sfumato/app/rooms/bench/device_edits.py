"""Devices of one's own by action: made, changed, thrown away."""

from __future__ import annotations

import attrs
from PySide6.QtCore import QObject

from sfumato.app.rooms.bench.device_sheet import MonitorSheet
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.services.services import Services
from sfumato.app.services.trash import to_trash
from sfumato.core.bench.monitor import Monitor
from sfumato.core.errors import SfumatoError
from sfumato.work.bench import devices
from sfumato.work.bench.devices import Rig


class DeviceEdits(QObject):
    """Carries out the actions on devices."""

    def __init__(self, services: Services, model: MonitorModel) -> None:
        super().__init__(services.window)
        self.services, self.monitors, self.notices = services, model, services.notices
        self._sheet: MonitorSheet | None = None

    def bench_new(self) -> None:
        """Make a device, beginning with a copy of the chosen one."""
        rig = self.monitors.rig
        like = rig.monitor if rig is not None else Monitor()
        self._show_sheet(attrs.evolve(like, key="own", title=f"{like.title}, mine"[:60]), None)

    def bench_edit(self) -> None:
        rig = self.monitors.rig
        if rig is not None:
            self._show_sheet(rig.monitor, rig)

    def _show_sheet(self, monitor: Monitor, rig: Rig | None) -> None:
        if self._sheet is not None:
            self._sheet.close()
        sheet = self._sheet = MonitorSheet(self.services.window, monitor, is_new=rig is None)
        sheet.kept.connect(lambda found: self._keep_device(found, rig))
        sheet.destroyed.connect(self._forget_sheet)
        sheet.show()

    def _forget_sheet(self) -> None:
        self._sheet = None

    def _keep_device(self, monitor: Monitor, rig: Rig | None) -> None:
        try:
            made = (
                devices.added(self.monitors.root, monitor)
                if rig is None
                else devices.changed_record(rig, monitor)
            )
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.monitors.choose(made.folder.name)
        self.monitors.ask()

    def bench_forget(self) -> None:
        """Put a device of the user's into the trash, with its card and its places."""
        rig = self.monitors.rig
        if rig is None:
            return
        try:
            to_trash(rig.folder)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        self.notices.good(
            f"{rig.monitor.title} is in the trash", "with its places and the card in its folder"
        )
        self.monitors.ask()
