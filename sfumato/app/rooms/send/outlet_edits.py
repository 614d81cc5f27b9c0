"""Outlets by action: added, made like a file, set, and forgotten."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QAction

from sfumato.app.controls.parts import passing_menu
from sfumato.app.rooms.send.send_model import OUTLET, SendModel
from sfumato.app.rooms.send.send_page import SendPage
from sfumato.app.services.services import Services
from sfumato.core.controls import kinds
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.study.outlet import MOST_OUTLETS, Outlet, key_for
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import make_folder, typed_folder
from sfumato.work.outlets.imitate import like
from sfumato.work.outlets.templates import TEMPLATES
from sfumato.work.outlets.try_sheet import CHART, write_try_sheet


class OutletEdits(QObject):
    """Carries out what is done with outlets themselves."""

    def __init__(self, services: Services, model: SendModel, page: SendPage) -> None:
        super().__init__(services.window)
        self.services, self.send, self.page = services, model, page
        self.model, self.notices = services.model, services.notices
        left, outlet = page.left, page.outlet
        left.new_wanted.connect(self.send_new)
        left.like_wanted.connect(self.send_like)
        left.forget_wanted.connect(self.forget)
        left.menu_wanted.connect(self.show_menu)
        page.results.new_wanted.connect(self.send_new)
        outlet.edited.connect(self.edit)
        outlet.released.connect(self.model.end_gesture)
        outlet.folder_wanted.connect(self.send_folder)
        outlet.make_wanted.connect(self.make_folder)
        outlet.forget_wanted.connect(self.send_forget)

    def _commit(self, title: str, outlets: Sequence[Outlet], key: Any = None) -> None:
        self.model.commit(title, attrs.evolve(self.model.study, outlets=tuple(outlets)), key)

    def send_new(self) -> None:
        """Offer the kinds of targets; the chosen one becomes an outlet of the study."""
        menu = passing_menu(self.page)
        menu.setObjectName("send.kinds")
        for key, template in TEMPLATES.items():
            action = QAction(template.title, menu)
            action.setData(key)
            action.triggered.connect(lambda _on, t=template: self.add_outlet(t))
            menu.addAction(action)
        button = self.page.left.new
        menu.popup(button.mapToGlobal(QPoint(0, button.height())))

    def add_outlet(self, template: Outlet) -> None:
        """Put an outlet into the study, and show it, since it has no folder yet."""
        study = self.model.study
        if len(study.outlets) >= MOST_OUTLETS:
            self.notices.note(f"A study holds up to {MOST_OUTLETS} outlets", "forget one first")
            return
        taken = {o.key for o in study.outlets}
        key = template.key if template.key not in taken else key_for(template.title, taken)
        outlet = attrs.evolve(template, key=key)
        self._commit(f"Add {outlet.title}", (*study.outlets, outlet))
        self.send.choose(key)
        self.send.show_page(OUTLET)

    def send_copy(self) -> None:
        outlet = self.send.outlet
        if outlet is not None:
            self.add_outlet(attrs.evolve(outlet, title=f"{outlet.title}, copy"[:80]))

    def edit(self, field: str, value: Any) -> None:
        """Set a field of the chosen outlet; a value that cannot be is said and not taken."""
        outlet = self.send.outlet
        if outlet is None:
            return
        if field in ("format", "form"):
            outlet = attrs.evolve(outlet, depth="", layout="", suffix="")
        try:
            new = attrs.evolve(outlet, **{field: value})
        except ValueRefused as error:
            self.notices.fault(error)
            self.page.outlet.refresh()
            return
        study = self.model.study
        changed = [new if o.key == new.key else o for o in study.outlets]
        title = kinds(Outlet)[field].title
        self._commit(f"{new.title}: {title}", changed, ("outlet", new.key, field))

    def send_folder(self) -> None:
        """Choose where the chosen outlet writes."""
        outlet = self.send.outlet
        if outlet is None:
            return
        kept = (
            outlet.folder or str(self.services.settings.get("send_folder", "")) or str(Path.home())
        )
        title = f"Folder of {outlet.title}"
        folder = self.services.ports.choose_folder(self.services.window, Path(kept), title)
        if folder is not None:
            self.services.settings.set("send_folder", str(folder))
            self.edit("folder", str(folder))
            self.model.end_gesture()

    def make_folder(self) -> None:
        outlet = self.send.outlet
        if outlet is None or not outlet.folder:
            return
        try:
            make_folder(typed_folder(outlet.folder))
        except SfumatoError as error:
            self.notices.fault(error)
        self.send.ask()

    def send_forget(self) -> None:
        if self.send.outlet is not None:
            self.forget(self.send.outlet.key)

    def forget(self, key: str) -> None:
        """Take an outlet out of the study; its files stay."""
        study = self.model.study
        outlet = next((o for o in study.outlets if o.key == key), None)
        if outlet is not None:
            self._commit(f"Forget {outlet.title}", [o for o in study.outlets if o.key != key])

    def show_menu(self, key: str, at: QPoint) -> None:
        if not key:
            return
        self.send.choose(key)
        menu = passing_menu(self.page)
        for name in ("send_folder", "send_copy", "send_forget"):
            menu.addAction(self.services.actions.by_id[name])
        menu.popup(at)

    def send_like(self) -> None:
        """Make an outlet that writes files as one that the target takes."""
        kept = str(self.services.settings.get("send_like", "")) or str(Path.home())
        files = self.services.ports.choose_luts(
            self.services.window, kept, "A file that the target takes"
        )
        if not files:
            return
        file = files[0]
        self.services.settings.set("send_like", str(file.parent))

        def read(_cancel: Cancel, _progress: Progress) -> tuple[Outlet, tuple[str, ...]]:
            return like(file)

        def then(found: tuple[Outlet, tuple[str, ...]]) -> None:
            outlet, said = found
            self.add_outlet(attrs.evolve(outlet, folder=str(file.parent)))
            self.notices.good(f"An outlet like {file.name}", "; ".join(said))

        self.services.reading.add(f"Reading {file.name}", read, then=then)

    def send_try(self) -> None:
        """Write a try sheet into a folder: one test in eight dialects."""
        kept = str(self.services.settings.get("send_folder", "")) or str(Path.home())
        folder = self.services.ports.choose_folder(
            self.services.window, Path(kept), "Folder for the try sheet"
        )
        if folder is None:
            return

        def write(cancel: Cancel, progress: Progress) -> list[Path]:
            return write_try_sheet(folder, cancel=cancel, progress=progress)

        def then(files: list[Path]) -> None:
            reveal = self.services.ports.reveal
            words = f"show {CHART} there, and load TRY_1 to TRY_8 in turn"
            self.notices.good(
                "The try sheet is written", words, "Show it", lambda: reveal(files[-1])
            )

        self.services.queue.add("Writing a try sheet", write, then=then)
