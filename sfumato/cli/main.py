"""The command `sfumato`: stable verbs, one line on stderr when input is refused, never a traceback.

Exit status: 0 done; 1 input refused; 2 the command itself is wrong.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

import click

from sfumato._version import VERSION
from sfumato.cli import benches, borrows, measures, pictures, sends, tables, trips
from sfumato.cli.options import PathArgument, guarded
from sfumato.work.files import exists


class _Commands(click.Group):
    """A group whose first word may also be a study: `sfumato film.sfumato` opens the window."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and not args[0].startswith("-"):
            return "open", _open, args
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(VERSION, prog_name="sfumato", message="%(prog)s %(version)s")
@click.pass_context
def cli(ctx: click.Context) -> None:
    """Builds 3D LUTs from colour grades, converts them, and proves what they do.

    Without a command, opens the window; with a STUDY, opens the window on it.
    """
    if ctx.invoked_subcommand is None:
        from sfumato.cli.window import open_window

        sys.exit(open_window(None))


@click.command(hidden=True)
@click.argument("study", type=PathArgument)
@guarded
def _open(study: Path) -> None:
    from sfumato.cli.window import open_window
    from sfumato.work.stores.study_store import open_study

    if not study.suffix and not exists(study):
        raise click.UsageError(f"there is no command or study named {study}; see sfumato --help")
    open_study(study)
    sys.exit(open_window(study))


@cli.command()
@click.option(
    "--picture",
    type=PathArgument,
    help="Save a picture of the window when the first shot is shown, and quit.",
)
@guarded
def demo(picture: Path | None) -> None:
    """Open the window with the demo study."""
    from sfumato.cli.window import open_window
    from sfumato.core.errors import StudyError
    from sfumato.work.stores.study_store import demo_study

    study = demo_study()
    if study is None:
        raise StudyError(
            "the demo study is not installed",
            hint="install the program again",
        )
    sys.exit(open_window(study, picture))


@cli.command()
@click.argument("what", type=click.Choice(["install", "remove"]))
@guarded
def desktop(what: str) -> None:
    """Put Sfumato among the applications of the desktop, for this user, or take it out again."""
    from sfumato.work import desktop_entry

    done = desktop_entry.install() if what == "install" else desktop_entry.remove()
    for file in done:
        click.echo(file)
    if not done:
        click.echo("sfumato: nothing was there", err=True)


for _command in (
    *tables.COMMANDS,
    *measures.COMMANDS,
    *pictures.COMMANDS,
    *trips.COMMANDS,
    *benches.COMMANDS,
    *borrows.COMMANDS,
    *sends.COMMANDS,
):
    cli.add_command(_command)


def _bug(kind: type[BaseException], error: BaseException, trace: Any) -> None:
    """Say a fault of ours in one line; SFUMATO_TRACE=1 shows where it happened."""
    if os.environ.get("SFUMATO_TRACE"):
        sys.__excepthook__(kind, error, trace)
    what = f"{kind.__name__}: {error}".splitlines()[0][:200]
    print(f"sfumato: a fault inside Sfumato ({what}); please report it", file=sys.stderr)


def run() -> None:
    """The entry point: runs the command and turns every outcome into an exit status."""
    from sfumato.work.turns import one_thread_a_product
    from sfumato.work.warm import choose_cache

    one_thread_a_product()
    choose_cache()
    sys.excepthook = _bug
    try:
        cli.main(prog_name="sfumato", standalone_mode=True)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
