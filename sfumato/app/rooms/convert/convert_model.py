"""State of the Convert room. Not divided: undo, readings and answers all act on one record."""

from __future__ import annotations

import json
from collections import OrderedDict
from functools import partial
from pathlib import Path
from typing import Any

import attrs
from attrs import frozen
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from sfumato.app.guard import guarded
from sfumato.app.services.jobs import Lane, Turn
from sfumato.app.services.notices import Notices
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.lut.difference import Difference
from sfumato.core.lut.lut_view import LutView, lut_view
from sfumato.core.lut.transform import Transform
from sfumato.core.measure.assay import assay
from sfumato.core.measure.checks.findings import Level
from sfumato.core.measure.checks.repairs import Assay, repaired
from sfumato.formats.parts.contract import DEPTH_WORDS, Read
from sfumato.formats.parts.registry import formats
from sfumato.work import memory
from sfumato.work.cancel import Cancel
from sfumato.work.files import typed_folder
from sfumato.work.luts.batch import (
    ALONE,
    DEFAULT_NAMES,
    EXISTING,
    Batch,
    Found,
    Recipe,
    check_count,
    combined,
    lut_files,
    made_by_recipe,
    stored_of,
)
from sfumato.work.luts.deliver import loss_of
from sfumato.work.luts.looks import read_look, title_of
from sfumato.work.luts.lut_files import display_of
from sfumato.work.luts.target import Target, encoded, held, options_for
from sfumato.work.stores.presets import is_shipped


@frozen
class Taken:
    """One file in the list: how it is read, and what is mended in it."""

    path: Path
    root: Path
    reading: str = ""
    repairs: tuple[str, ...] = ()


def domain_in(text: str) -> tuple[float, float] | None:
    """Return the domain that `LO:HI` names, None for an empty text.

    Raises:
        ValueRefused: it is something else.
    """
    if not text.strip():
        return None
    try:
        low, high = (float(v.replace(",", ".").replace("−", "-")) for v in text.split(":"))
    except ValueError:
        raise ValueRefused(
            "a domain is two numbers", hint="write it as LO:HI, such as 0:1"
        ) from None
    if not low < high:
        raise ValueRefused(f"the domain {text} does not rise", hint="put the lower number first")
    return low, high


@frozen
class Goal:
    """One format in the list of targets."""

    key: str
    on: bool = False
    grid: int | None = None
    depth: str = ""
    layout: str = ""
    suffix: str = ""


def _goals() -> tuple[Goal, ...]:
    usual = ("cube", "3dl", "clf")
    return tuple(Goal(key, key in usual) for key in formats())


def _replaced(goals: tuple[Goal, ...], goal: Goal) -> tuple[Goal, ...]:
    return tuple(goal if g.key == goal.key else g for g in goals)


@frozen
class Bench:
    """All that the room is set to."""

    entries: tuple[Taken, ...] = ()
    goals: tuple[Goal, ...] = attrs.field(factory=_goals)
    recipe: Recipe = Recipe()
    fitted: bool = False
    shaper: bool = False
    domain: str = ""  # LO:HI, "" = as it is
    names: str = DEFAULT_NAMES
    folder: str = ""
    existing: str = EXISTING[0]

    def kept(self) -> str:
        """Return what is remembered from one session to the next, as JSON."""
        goals = {g.key: attrs.asdict(g) for g in self.goals}
        same = ("fitted", "shaper", "domain", "names", "existing")
        return json.dumps({"goals": goals, **{n: getattr(self, n) for n in same}})

    @classmethod
    def remembered(cls, text: str) -> Bench:
        """Return a bench from what was kept; anything that does not fit is left as usual."""
        bench = cls()
        try:
            facts = json.loads(text)
            goals = facts.pop("goals")
            domain_in(str(facts.get("domain", "")))
            bench = attrs.evolve(bench, **{k: type(getattr(bench, k))(v) for k, v in facts.items()})
            if bench.existing not in EXISTING:
                bench = attrs.evolve(bench, existing=EXISTING[0])
            for goal in bench.goals:
                kept = goals.get(goal.key)
                if kept is None:
                    continue
                spec = formats()[goal.key]
                fits = kept["depth"] in ("", *spec.depths) and kept["layout"] in ("", *spec.layouts)
                if fits and isinstance(kept["on"], bool):
                    bench = attrs.evolve(bench, goals=_replaced(bench.goals, Goal(**kept)))
        except (ValueError, KeyError, TypeError, AttributeError, ValueRefused):
            return cls()
        return bench

    def with_entry(self, path: Path, **changes: Any) -> Bench:
        entries = tuple(attrs.evolve(e, **changes) if e.path == path else e for e in self.entries)
        return attrs.evolve(self, entries=entries)

    def with_goal(self, key: str, **changes: Any) -> Bench:
        goal = next(g for g in self.goals if g.key == key)
        return attrs.evolve(self, goals=_replaced(self.goals, attrs.evolve(goal, **changes)))

    def target(self, goal: Goal) -> Target:
        spec = formats()[goal.key]
        shaper = 4096 if self.shaper and spec.shaper else None
        return Target(
            goal.key,
            goal.grid,
            goal.depth,
            goal.layout,
            shaper,
            self.fitted and spec.bakes and shaper is None,
            goal.suffix,
            domain_in(self.domain) if spec.domain and spec.bakes else None,
        )

    def wanted(self) -> tuple[Target, ...]:
        return tuple(self.target(g) for g in self.goals if g.on)

    def batch(self) -> Batch:
        """Return the work that the room is set to.

        Raises:
            ValueRefused: its folder is none.
        """
        return Batch(
            tuple((e.path, e.root) for e in self.entries),
            self.wanted(),
            typed_folder(self.folder),
            self.names,
            self.existing,
            self.recipe,
            {e.path: e.repairs for e in self.entries if e.repairs},
            {e.path: e.reading for e in self.entries if e.reading},
        )


@frozen(eq=False)
class Examined:
    """What is known of one file; the transform itself is kept for the last few files only."""

    entry: Taken
    found: Read | None = None
    assay: Assay | None = None
    error: SfumatoError | None = None

    @property
    def facts(self) -> str:
        """Return format, kind and depth in one line."""
        if self.error is not None:
            place = getattr(self.error, "line", 0)
            return f"line {place}: {self.error.summary}" if place else self.error.summary
        if self.found is None or self.assay is None:
            return "reading …"
        spec = formats().get(self.found.key)
        kind = spec.title if spec is not None else title_of(self.entry.path)
        parts = [kind, self.assay.kind]
        if self.found.depth:
            parts.append(DEPTH_WORDS.get(self.found.depth, self.found.depth))
        return " · ".join(parts)

    @property
    def state(self) -> tuple[str, str]:
        """Return a word for the list and its pigment."""
        if self.error is not None:
            return "refused", "cinnabar"
        if self.assay is None:
            return "…", "quiet"
        if self.entry.repairs:
            return "mended", "malachite"
        faults = [f for f in self.assay.findings if f.level is Level.FAULT]
        warnings = [f for f in self.assay.findings if f.level is Level.WARN]
        if faults:
            return faults[0].title.casefold(), "cinnabar"
        if warnings:
            return warnings[0].title.casefold(), "yellow"
        return "ready", "malachite"


@frozen(eq=False)
class Chosen:
    """The chosen file as it will be written: after repairs and the recipe."""

    entry: Taken
    transform: Transform
    view: LutView
    notes: tuple[str, ...] = ()
    mended: Difference | None = None


@frozen
class Outcome:
    """What one target would make of the chosen file."""

    key: str
    words: str = ""
    grid: int = 0  # points a side of the file, 0 where it has no lattice
    loss: Difference | None = None
    said: tuple[str, ...] = ()
    refused: str = ""


class _Edit(QUndoCommand):
    def __init__(self, model: ConvertModel, title: str, after: Bench) -> None:
        super().__init__(title)
        self._model, self._before, self._after = model, model.bench, after

    @guarded
    def redo(self) -> None:
        self._model._show(self._after)

    @guarded
    def undo(self) -> None:
        self._model._show(self._before)


class ConvertModel(QObject):
    """Holds the bench. `changed(before, after)`, `examined(path)`, `shown(Chosen)`, `outcome(Outcome)`."""

    changed = Signal(object, object)
    examined = Signal(object)
    chosen_changed = Signal()
    shown = Signal(object)
    refused = Signal(object)
    outcome = Signal(object)

    def __init__(self, notices: Notices, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.bench = Bench()
        self.undo_stack = QUndoStack(self)
        self.chosen: Path | None = None
        self._notices = notices
        self._known: dict[Taken, Examined] = {}
        self.unreadable: set[Path] = set()
        self._transforms: OrderedDict[Taken, Read] = OrderedDict()
        self._outcomes: dict[Any, Outcome] = {}
        self._now: Chosen | None = None
        self._adding: list[Path] = []
        self._lanes = {
            n: Lane(f"convert {n}", self, turn=Turn.LAST if n in ("assay", "goal") else Turn.SHARED)
            for n in ("assay", "chosen", "goal", "add")
        }
        for lane in self._lanes.values():
            lane.crashed.connect(notices.bug)
        self._lanes["assay"].answered.connect(self._on_examined)
        self._lanes["chosen"].answered.connect(self._on_chosen)
        self._lanes["chosen"].refused.connect(self.refused)
        self._lanes["goal"].answered.connect(self._on_outcome)
        self._lanes["add"].answered.connect(self._on_added)
        self._lanes["add"].refused.connect(notices.fault)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._ask)

    # --- edits -----------------------------------------------------------------------------------
    def commit(self, title: str, after: Bench) -> None:
        """Make an edit; one undo step."""
        if after != self.bench:
            self.undo_stack.push(_Edit(self, title, after))

    def restore(self, bench: Bench) -> None:
        """Take over what was remembered; not an edit."""
        self._show(bench)

    def _show(self, after: Bench) -> None:
        before, self.bench = self.bench, after
        paths = [e.path for e in after.entries]
        if self.chosen not in paths:
            self.chosen = paths[0] if paths else None
            self.chosen_changed.emit()
        self.changed.emit(before, after)
        self._later.start()

    def add(self, places: list[Path]) -> None:
        """Look for LUT files in files and folders, in the background, and put them in the list."""
        if places:
            # A lane answers the newest ask alone: each ask takes along what is not answered yet.
            self._adding = [*self._adding, *places]
            wanted = self._adding
            self._lanes["add"].ask(
                lambda cancel: (len(wanted), lut_files(wanted, cancel=cancel)), patient=True
            )

    def _on_added(self, answer: tuple[int, Found]) -> None:
        count, found = answer
        self._adding = self._adding[count:]
        if found.left_out:
            self._notices.note("Results were left out", found.words())
        known = {e.path for e in self.bench.entries}
        new = tuple(Taken(p, r) for p, r in dict.fromkeys(found.files) if p not in known)
        if not new:
            self._notices.note("No new LUT files were found", "they are in the list already")
            return
        fresh = {
            e.path for e in new
        }  # what was known of a file of this name may be of an older one
        for store in (self._known, self._transforms):
            for entry in [e for e in store if e.path in fresh]:
                del store[entry]
        self._outcomes.clear()
        root = Path.home() if is_shipped(new[0].root) else new[0].root
        folder = self.bench.folder or str(root / "converted")
        title = f"Add {new[0].path.name}" if len(new) == 1 else f"Add {len(new)} files"
        self.chosen = self.chosen or new[0].path
        after = attrs.evolve(self.bench, entries=(*self.bench.entries, *new), folder=folder)
        self.commit(title, after)

    def choose(self, path: Path) -> None:
        if path != self.chosen:
            self.chosen = path
            self.chosen_changed.emit()
            self._later.start()

    def entry(self) -> Taken | None:
        return next((e for e in self.bench.entries if e.path == self.chosen), None)

    def known(self, entry: Taken) -> Examined:
        return self._known.get(self._plain(entry)) or Examined(entry)

    @property
    def readable(self) -> int:
        """How many files will be converted: all but those that are known to be unreadable."""
        return sum(e.path not in self.unreadable for e in self.bench.entries)

    @staticmethod
    def _plain(entry: Taken) -> Taken:
        return attrs.evolve(entry, repairs=())

    def of(self, entry: Taken) -> Examined:
        """Return what is known of a file, with its repairs as they are set now."""
        return attrs.evolve(self.known(entry), entry=entry)

    # --- background ------------------------------------------------------------------------------
    def _ask(self) -> None:
        self._now = None
        self._ask_next()
        entry = self.entry()
        if entry is None:
            self._lanes["chosen"].drop()
            self._lanes["goal"].drop()
            return
        recipe, plain = self.bench.recipe, self._plain(entry)
        others = list(self.bench.entries) if recipe.together else []
        known = {e: self._transforms.get(self._plain(e)) for e in (entry, *others)}
        examined = self._known.get(plain)

        def transform_of(each: Taken, cancel: Cancel) -> Transform:
            read = known.get(each) or read_look(each.path, each.reading)
            if not each.repairs:
                return read.transform
            seen = examined.assay if each == entry and examined and examined.assay else None
            display = display_of(read.transform)
            seen = seen or assay(read.transform, display, stored_of(read), cancel.check)
            return repaired(read.transform, seen, each.repairs, cancel.check)

        def work(cancel: Cancel) -> Chosen:
            name = entry.path.stem
            if recipe.together:
                check_count(len(others), recipe)
                pairs = [(e.path.stem, transform_of(e, cancel)) for e in others]
                ((name, transform),) = combined(pairs, recipe)
            else:
                transform = transform_of(entry, cancel)
            made = made_by_recipe(name, transform, recipe, cancel)[0]
            cancel.check()
            reached = made.where.reached if made.where and not recipe.range else None
            view = lut_view(made.transform, reached=reached)
            return Chosen(entry, made.transform, view, made.notes)

        self._lanes["chosen"].ask(work)

    def _ask_next(self) -> None:
        """Examine the chosen file first, then the others in order."""
        order = sorted(self.bench.entries, key=lambda e: e.path != self.chosen)
        entry = next((e for e in order if self._plain(e) not in self._known), None)
        if entry is None or self._lanes["assay"].is_busy:
            return
        plain = self._plain(entry)

        def work(cancel: Cancel) -> Examined:
            try:
                found = read_look(plain.path, plain.reading)
                display = display_of(found.transform)
                examined = assay(found.transform, display, stored_of(found), cancel.check)
                return Examined(plain, found, examined)
            except SfumatoError as error:
                return Examined(plain, error=error.alone())

        self._lanes["assay"].ask(work)

    def _on_examined(self, answer: Examined) -> None:
        found = answer.found
        if found is not None:
            self._transforms[answer.entry] = found
            while len(self._transforms) > 1 and self._size() > memory.CONVERTED:
                self._transforms.popitem(last=False)
            answer = attrs.evolve(answer, found=attrs.evolve(found, transform=Transform()))
        self._known[answer.entry] = answer
        (self.unreadable.discard if answer.error is None else self.unreadable.add)(
            answer.entry.path
        )
        self.examined.emit(answer.entry.path)
        self._ask_next()

    def _size(self) -> int:
        """Return how many bytes the kept transforms hold."""
        return memory.held(list(self._transforms.values()), 8)

    def _on_chosen(self, answer: Chosen) -> None:
        self._now = answer
        self.shown.emit(answer)
        self._ask_goal()

    def _goal_key(self, target: Target) -> Any:
        now = self._now
        return (target, now.entry, self.bench.recipe, self._together()) if now else None

    def _together(self) -> Any:
        return self.bench.entries if self.bench.recipe.together != ALONE else None

    def _ask_goal(self) -> None:
        """Measure what each target would lose, the wanted ones first."""
        now = self._now
        if now is None:
            return
        goals = sorted(self.bench.goals, key=lambda g: not g.on)
        for goal in goals:
            target = self.bench.target(goal)
            if not goal.on and target.fitted:
                target = attrs.evolve(target, fitted=False)
            known = self._outcomes.get(self._goal_key(target))
            if known is not None:
                self.outcome.emit(known)
                continue
            key = self._goal_key(target)
            self._lanes["goal"].ask(partial(_keyed, key, now, target))
            return

    def _on_outcome(self, answer: tuple[Any, Outcome]) -> None:
        key, outcome = answer
        if len(self._outcomes) > 500:
            self._outcomes.clear()
        self._outcomes[key] = outcome
        self._ask_goal()

    @property
    def now(self) -> Chosen | None:
        """The chosen file as it will be written, when it is there."""
        return self._now

    @property
    def is_busy(self) -> bool:
        return self._later.isActive() or any(lane.is_busy for lane in self._lanes.values())

    def close(self) -> None:
        self._later.stop()
        self.undo_stack.blockSignals(True)
        for lane in self._lanes.values():
            lane.close()


def _keyed(key: Any, now: Chosen, target: Target, cancel: Cancel) -> tuple[Any, Outcome]:
    return key, _tried(now, target, cancel)


def _tried(now: Chosen, target: Target, cancel: Cancel) -> Outcome:
    """Write for one target in memory, read it back and measure."""
    spec = target.spec
    try:
        found = held(now.transform, target, check=cancel.check)
        data, lost = encoded(found.transform, target)
        cancel.check()
        difference = loss_of(now.transform, data, target, 6000)
    except SfumatoError as error:
        return Outcome(target.key, refused=error.summary)
    table = found.transform.table
    if found.transform.stages == now.transform.stages and not table:
        words = "exact chain"
    elif table:
        words = f"{table.size} points"
    else:
        sizes = [getattr(s, "size", 0) for s in found.transform.stages]
        words = " + ".join(str(s) for s in sizes if s) or "exact"
    depth = spec.depth_of(options_for(target, found.transform)) if len(spec.depths) > 1 else ""
    if depth:
        words += f" · {DEPTH_WORDS[depth]}"
    if len(spec.layouts) > 1:
        words += f" · {target.layout or spec.layouts[0]}"
    grid = table.size if table else 0
    return Outcome(target.key, words, grid, difference, (*found.said, *lost))
