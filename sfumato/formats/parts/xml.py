"""What XML formats share: parsing with lines kept and entities refused, names without namespaces."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any, BinaryIO
from xml.etree import ElementTree
from xml.parsers import expat

from sfumato.core.errors import FormatError
from sfumato.formats.parts import text

_MOST_ELEMENTS, _DEEPEST, _MOST_BYTES = 100_000, 50, 96 << 20
_LONG = 1 << 20  # bytes of a text that are numbers and no words
_PIECE = 1 << 14  # bytes; of 128 KB each holds the interpreter for 2 ms


class Element(ElementTree.Element):
    """An element that knows the line on which it starts; its tag is the name without namespace.

    Attributes:
        body: its text as UTF-8; that of a large table alone, which `text` leaves out.
        fill: writes its text, where that is as long as the file.
    """

    line: int = 0
    body: bytes = b""
    fill: Callable[[BinaryIO], None] | None = None


class _Builder:
    """Handlers of the expat parser; a document type or an entity stops it at once."""

    def __init__(self, parser: Any, roots: tuple[str, ...], what: str) -> None:
        self.root: Element | None = None
        self._parser, self._roots, self._what = parser, roots, what
        self._stack: list[tuple[Element, io.BytesIO]] = []
        self._count = 0
        parser.buffer_text = True
        parser.StartElementHandler = self._start
        parser.EndElementHandler = self._end
        parser.CharacterDataHandler = self._text
        parser.StartDoctypeDeclHandler = self._declared
        parser.EntityDeclHandler = self._declared

    def let_go(self) -> None:
        """Part from the parser, whose handlers are ours: a circle would keep the text for long."""
        self._parser.StartElementHandler = self._parser.EndElementHandler = None
        self._parser.CharacterDataHandler = None
        self._parser.StartDoctypeDeclHandler = self._parser.EntityDeclHandler = None

    def _declared(self, *_: Any) -> None:
        raise FormatError(
            "the file declares XML entities or a document type",
            hint=f"a {self._what} file needs neither; remove them",
            line=self._parser.CurrentLineNumber,
        )

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        line = self._parser.CurrentLineNumber
        plain = {k: v for k, v in attributes.items() if "}" not in k}  # others' own are left out
        element = Element(tag.rpartition("}")[2], plain)
        element.line = line
        if self.root is None:
            if element.tag not in self._roots:
                raise FormatError(
                    f"this is not a {self._what} file", hint="choose another", line=line
                )
            self.root = element
        else:
            self._stack[-1][0].append(element)
        self._count += 1
        if self._count > _MOST_ELEMENTS or len(self._stack) > _DEEPEST:
            raise FormatError("there are too many elements", hint="export it again", line=line)
        self._stack.append((element, io.BytesIO()))

    def _text(self, data: str) -> None:
        if self._stack:
            self._stack[-1][1].write(data.encode())

    def _end(self, _tag: str) -> None:
        element, out = self._stack.pop()
        element.body = out.getvalue()
        element.text = element.body.decode() if len(element.body) <= _LONG else ""


def parsed(data: bytes, roots: tuple[str, ...], what: str) -> Element:
    """Parse a document whose root is one of `roots`.

    Raises:
        FormatError: with the line where it is not well formed, or declares entities.
    """
    if len(data) > _MOST_BYTES:
        raise FormatError(
            f"the text is longer than {_MOST_BYTES >> 20} MB", hint="write a smaller grid"
        )
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise FormatError("the text is UTF-16", hint="save it as UTF-8", line=1)
    parser = expat.ParserCreate(namespace_separator="}")
    builder = _Builder(parser, roots, what)
    try:
        for at in range(0, len(data), _PIECE):  # in one, the interpreter is held all the while
            parser.Parse(data[at : at + _PIECE], False)
        parser.Parse(b"", True)
    except expat.ExpatError as error:
        raise FormatError(
            "this is not well-formed XML",
            hint="export it again",
            line=error.lineno,
            column=error.offset + 1,
        ) from error
    except (LookupError, ValueError) as error:
        raise FormatError(
            "the text encoding is not known", hint="save it as UTF-8", line=1
        ) from error
    finally:
        builder.let_go()
    if builder.root is None:
        raise FormatError(f"this is not a {what} file", hint="choose another", line=1)
    return builder.root


def children(element: Any, name: str) -> list[Element]:
    """Return the children of a name."""
    return [c for c in element if c.tag == name]


def numbers(node: Any, name: str, count: int) -> tuple[float, ...]:
    """Return the numbers of the one child called `name`.

    Raises:
        FormatError: it is missing, or holds another count of finite numbers.
    """
    child = next(iter(children(node, name)), None)
    if child is None:
        raise FormatError(f"a {node.tag} has no {name}", hint="export it again", line=node.line)
    tokens = (child.text or "").replace(",", " ").split()
    values = tuple(text.number(t.encode(), child.line, name) for t in tokens[: count + 9])
    if len(values) != count:
        raise FormatError(
            f"{name} has {len(values)} numbers instead of {count}",
            hint="repair it",
            line=child.line,
        )
    return values


def described(element: Any, name: str = "Description") -> tuple[str, ...]:
    """Return the words of all children called `name`."""
    texts = (" ".join((c.text or "").split()) for c in children(element, name))
    return tuple(t for t in texts if t)


def rendered(root: ElementTree.Element) -> bytes:
    """Return an indented UTF-8 document."""
    ElementTree.indent(root)
    fills = []
    for element in root.iter():
        if isinstance(element, Element) and element.fill is not None:
            element.text = _PLACE
            fills.append(element.fill)
    plain: bytes = ElementTree.tostring(root, encoding="UTF-8", xml_declaration=True)
    out = io.BytesIO()
    before, *others = plain.split(_PLACE.encode()) if fills else [plain]
    out.write(before)
    for fill, after in zip(fills, others, strict=True):
        fill(out)
        out.write(after)
    out.write(b"\n")
    return out.getvalue()


_PLACE = "\ue000"  # where a filled text goes; `safe` words have none


def safe(words: str) -> str:
    """Drop characters that XML cannot hold."""
    return "".join(c for c in words if c.isprintable() or c in "\n\t")
