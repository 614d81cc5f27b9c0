"""Looks as ICC profiles, from the command line: the options of `convert --kind`, and what they do."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from sfumato.cli.options import PathArgument, print_options, said

_OPTIONS = (
    click.option(
        "--kind",
        type=click.Choice(["abstract", "link", "inks", "press"]),
        help="Write an ICC profile that LittleCMS measures: Lab to Lab; sRGB to RGB; sRGB to the inks of --profile; "
        "or its inks to its inks. IN may be a study.",
    ),
    click.option(
        "--profile",
        type=PathArgument,
        help="The ICC profile of the press, for --kind inks and press; else the one that ships.",
    ),
    click.option(
        "--icc",
        type=click.Choice(["2", "4"]),
        default="4",
        show_default=True,
        help="Version of --kind.",
    ),
    click.option(
        "--on",
        "pictures",
        multiple=True,
        type=PathArgument,
        help="A picture on which --kind is measured.",
    ),
)


def profile_options(run: Callable[..., Any]) -> Callable[..., Any]:
    """Declare what a profile is to be of, and how colours go into inks."""
    run = print_options(run)
    for option in reversed(_OPTIONS):
        run = option(run)
    return run


def write_profile(source: Path, target: Path, how: Any, wishes: dict[str, Any]) -> None:
    """Write a look as a profile of print, with what LittleCMS makes of colours by it."""
    import attrs
    import numpy as np

    from sfumato.core.compiled import load_kernels
    from sfumato.core.errors import ValueRefused
    from sfumato.work.files import Sources, check_free
    from sfumato.work.frames import Frames, open_still
    from sfumato.work.luts import print_profiles as profiles
    from sfumato.work.luts.lut_files import read_lut
    from sfumato.work.press_files import press_bytes
    from sfumato.work.results.plated import through
    from sfumato.work.stores.study_store import open_study

    if target.suffix.lower() not in (".icc", ".icm"):
        raise ValueRefused("a profile is a file .icc", hint="name OUT so")
    given = [wishes["profile"]] if wishes["profile"] else []
    Sources.of([source, *wishes["pictures"], *given]).check(target)
    if not wishes["force"]:
        check_free(target)
    press = press_bytes(str(wishes["profile"] or ""))
    load_kernels()
    codes = [open_still(p).as_float().reshape(-1, 3)[::7] for p in wishes["pictures"]]
    kind = wishes["kind"]
    if kind == profiles.LINK and wishes["profile"]:
        kind = profiles.INKS  # a press has no RGB
    wish = profiles.ProfileWish(
        kind, int(wishes["icc"]), wishes["grid"] or 0, wishes["title"] or source.stem
    )
    natural = np.clip(np.concatenate(codes), 0, 1) if codes else np.zeros((0, 3), np.float32)
    if source.suffix == ".sfumato":
        study = attrs.evolve(open_study(source), printing=how)
        natural = natural if codes else profiles.natural_codes(study, Frames())
        made = profiles.profile_of_study(study, wish, natural, press)
    else:
        transform = read_lut(source, reading=wishes["reading"]).transform
        if wishes["strength"] != 100:
            transform = transform.at_strength(wishes["strength"] / 100)
        run, display = through([transform])
        wanted = profiles.Wanted(lambda c: run(c, 0), display, natural, press, how)
        made = profiles.made_profile(wanted, wish)
    profiles.write_profile(made, target, force=wishes["force"])
    said(target, [f"LittleCMS misses the look {w}" for w in made.words()])
