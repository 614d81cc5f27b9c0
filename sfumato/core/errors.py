"""The whole error tree.

    SfumatoError            a person can do something about it
      ValueRefused          a value outside its control
      ShapeError            an array of the wrong form
      FormatError           a table file is not what it claims (line, column)
      MediaError            a picture or clip cannot be read or written
      StudyError            a study file cannot be read or written
      ExportError           an export that could not finish
        NameTaken           because a file of that name is there

Anything else that is raised is a bug.
"""

from __future__ import annotations

# A summary is a sentence: what is longer holds a value out of a damaged file.
LONGEST = 600
_LONGEST_HINT = 300  # what is longer names hundreds of choices, as those of an OCIO config


def _short(summary: str) -> str:
    """Return the sentence without the middle of what is too long to be one."""
    if len(summary) <= LONGEST:
        return summary
    return f"{summary[: LONGEST * 2 // 3]} … {summary[-LONGEST // 4 :]}"


def _few(hint: str) -> str:
    """Return a hint with as many of its choices as make a sentence.

    >>> _few(", ".join(["red"] * 100))[-10:]
    'ed, red, …'
    """
    if len(hint) <= _LONGEST_HINT:
        return hint
    return f"{hint[:_LONGEST_HINT].rpartition(', ')[0] or hint[:_LONGEST_HINT]}, …"


class SfumatoError(Exception):
    """What happened to what (`summary`), what to try (`hint`), and where (`where`)."""

    def __init__(self, summary: str, *, hint: str = "", where: str = "") -> None:
        summary = _short(summary)
        super().__init__(summary)
        self.summary = summary
        self.hint = _few(hint)
        self.where = where

    def sentence(self) -> str:
        """Return one line: `where: what is wrong; what to do`."""
        text = f"{self.where}: {self.summary}" if self.where else self.summary
        return f"{text}; {self.hint}" if self.hint else text

    def at(self, where: str) -> SfumatoError:
        """Put the place in front when the raiser did not know it; return self for `raise`."""
        if not self.where:
            self.where = where
        return self

    def alone(self) -> SfumatoError:
        """Return self without the calls it came through, for keeping: they hold all that was read."""
        self.__traceback__ = self.__cause__ = self.__context__ = None
        return self

    def __str__(self) -> str:
        return self.sentence()


class ValueRefused(SfumatoError):
    """A value outside what its control allows."""


class ShapeError(SfumatoError):
    """An array whose shape or type does not fit."""


class FormatError(SfumatoError):
    """A table file is not what it claims; `line` and `column` count from 1, 0 = unknown."""

    def __init__(
        self, summary: str, *, hint: str = "", where: str = "", line: int = 0, column: int = 0
    ) -> None:
        super().__init__(summary, hint=hint, where=where)
        self.line = line
        self.column = column

    def sentence(self) -> str:
        place = self.where
        if self.line:
            place = f"{place}:{self.line}" if place else f"line {self.line}"
        text = f"{place}: {self.summary}" if place else self.summary
        return f"{text}; {self.hint}" if self.hint else text


class MediaError(SfumatoError):
    """A picture or clip cannot be read or written."""


class StudyError(SfumatoError):
    """A study file cannot be read or written."""


class ExportError(SfumatoError):
    """An export that could not finish."""


class NameTaken(ExportError):
    """A file is to be written where one is already, and nobody said that it may be replaced."""

    def __init__(self, where: str) -> None:
        super().__init__(
            "the file exists already",
            hint="choose another name, or replace it (--force)",
            where=where,
        )


# What plain data that is damaged can raise while it is made into records.
DAMAGE = (
    LookupError,
    TypeError,
    ValueError,
    AttributeError,
    ArithmeticError,
    RecursionError,
    AssertionError,
)
