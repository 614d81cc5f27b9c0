"""What was changed between two Looks, in words: `Contrast of Curves 1.12 → 1.20`."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import attrs

from sfumato.core.controls import Number, Toggle, kinds
from sfumato.core.study.coat import Coat, UnknownGlaze, every
from sfumato.core.study.version import Version

_MOST = 12


def _shown(kind: Any, value: Any) -> str:
    if isinstance(kind, Number):
        return f"{value:.{kind.digits}f}" + (f" {kind.unit}" if kind.unit else "")
    if isinstance(kind, Toggle):
        return "on" if value else "off"
    return str(value) if isinstance(value, str) else ""


def _within(before: Coat, after: Coat) -> Iterator[str]:
    """Yield what was changed in a coat that both have."""
    title = after.title
    if before.on != after.on:
        yield f"{title} switched {'on' if after.on else 'off'}"
    if before.strength != after.strength:
        yield f"Strength of {title} {100 * before.strength:.0f} → {100 * after.strength:.0f} %"
    if before.laying != after.laying:
        yield f"how {title} is laid"
    one, two = before.parameters, after.parameters
    if isinstance(one, UnknownGlaze) or isinstance(two, UnknownGlaze) or not attrs.has(type(two)):
        if one != two:
            yield title
        return
    for name, kind in kinds(two).items():
        a, b = getattr(one, name, None), getattr(two, name)
        if a == b:
            continue
        was, now = _shown(kind, a), _shown(kind, b)
        yield f"{kind.title} of {title}" + (f" {was} → {now}" if was and now else "")


def _paired(before: list[Coat], after: list[Coat]) -> dict[int, Coat]:
    """Return which coat of `before` each of `after` was, by place: by id, else by kind in order."""
    by_id = {c.id: c for c in before}
    pairs = {i: by_id[c.id] for i, c in enumerate(after) if c.id in by_id}
    rest = [c for c in before if c.id not in {p.id for p in pairs.values()}]
    for i, coat in enumerate(after):
        if i in pairs:
            continue
        known = next((c for c in rest if c.key == coat.key and c.name == coat.name), None)
        if known is not None:
            pairs[i] = known
            rest.remove(known)
    return pairs


def changes(before: Version, after: Version) -> tuple[str, ...]:
    """Return in words what differs in a later version; the last line counts what is left out."""
    found: list[str] = []
    if before.look.name != after.look.name:
        found.append(f"{before.look.name} is called {after.look.name}")
    if before.look.strength != after.look.strength:
        shares = 100 * before.look.strength, 100 * after.look.strength
        found.append("Strength of the Look {:.0f} → {:.0f} %".format(*shares))
    old, new = list(every(before.look.coats)), list(every(after.look.coats))
    pairs = _paired(old, new)
    kept = {c.id for c in pairs.values()}
    found += [f"{c.title} removed" for c in old if c.id not in kept]
    for i, coat in enumerate(new):
        if i not in pairs:
            found.append(f"{coat.title} added")
        else:
            found += _within(pairs[i], coat)
    order = [c.id for c in old if c.id in kept]
    if [pairs[i].id for i in sorted(pairs)] != order:
        found.append("the order of glazes")
    for words, a, b in (
        ("working encoding", before.working, after.working),
        ("display of the View", before.view.encoding, after.view.encoding),
        ("grid", before.grid, after.grid),
        ("nodes", "fitted" if before.fit else "sampled", "fitted" if after.fit else "sampled"),
    ):
        if a != b:
            found.append(f"{words} {a} → {b}")
    one, two = (attrs.evolve(v.view, encoding="BT.1886") for v in (before, after))
    for name, kind in kinds(two).items():
        if getattr(one, name) != getattr(two, name):
            was, now = _shown(kind, getattr(one, name)), _shown(kind, getattr(two, name))
            found.append(f"{kind.title} of the View {was} → {now}")
    if before.span != after.span:
        found.append("the Span")
    if before.luts != after.luts and not found:
        found.append("a LUT file in the Look")
    if len(found) > _MOST:
        found = [*found[: _MOST - 1], f"and {len(found) - _MOST + 1} more"]
    return tuple(found)
