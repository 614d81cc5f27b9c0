"""A LUT file of any format that can be written."""

from __future__ import annotations

from sfumato.core.errors import ExportError
from sfumato.core.study.outlet import LUT, Outlet
from sfumato.formats.parts.registry import formats
from sfumato.work.luts.deliver import Delivered
from sfumato.work.luts.proof import export_look
from sfumato.work.luts.target import Target
from sfumato.work.outlets.order import Form, Order, Written

SHAPER = 4096  # entries


def target_of(outlet: Outlet) -> Target:
    """Return what an outlet's LUT is to become.

    Raises:
        ExportError: there is no such format, or it cannot be written.
    """
    spec = formats().get(outlet.format)
    if spec is None or spec.write is None:
        raise ExportError(
            f"there is no format {outlet.format!r} to write", hint="choose another in the outlet"
        )
    shaper = SHAPER if outlet.shaper and spec.shaper else None
    return Target(
        outlet.format,
        outlet.grid,
        outlet.depth,
        outlet.layout,
        shaper,
        suffix=outlet.suffix,
        style=outlet.style if spec.is_text else None,
    )


def outlet_of(target: Target, grid: int) -> Outlet:
    """Return the outlet that writes a target once, wherever it is told to; `grid` where that has none."""
    return Outlet(
        "export",
        "Export",
        format=target.key,
        grid=target.grid or grid,
        depth=target.depth,
        layout=target.layout,
        suffix=target.suffix,
        shaper=target.shaper is not None,
    )


def delivered(order: Order) -> Delivered:
    """Write the look as the outlet's LUT file, read it back and measure it."""
    outlet = order.outlet
    return export_look(
        order.study,
        order.frames,
        order.file,
        target=target_of(outlet),
        shot=order.shot,
        title=order.title,
        comments=outlet.comments,
        existing=order.existing,
        taken=order.taken,
        yardstick=order.yardstick() if order.yardstick else None,
        measured=order.yardstick is not None,
        most_bytes=int(1000 * outlet.most_kb),
        cancel=order.cancel,
        progress=order.progress,
    )


def _write(order: Order) -> Written:
    made = delivered(order)
    second = made.second
    readers = (second.reader,) if second is not None and second.loss is not None else ()
    said = list(made.said)
    wrong = ""
    if second is not None and second.loss is None and second.reader != "another program":
        words = f"{second.reader} does not read it: {second.note}"
        if order.outlet.style is None:
            wrong = words
        else:
            said.append(words)  # the target's own dialect
    elif not made.is_exact:
        wrong = "it does not read back as it was written"
    return Written((made.place,), made.own, readers, tuple(said), wrong)


SPEC = Form(LUT, _write, lambda outlet: target_of(outlet).ending)
