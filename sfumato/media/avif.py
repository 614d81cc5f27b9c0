"""AVIF stills, 8 to 12 bit, read through FFmpeg like a clip of one frame."""

from __future__ import annotations

from sfumato.media import clip
from sfumato.media.parts.contract import MediaSpec

# Major brands of AV1 Image File Format: a still, a sequence.
_BRANDS = (b"ftypavif", b"ftypavis")


def sniff(head: bytes) -> bool:
    return head[4:12] in _BRANDS


SPEC = MediaSpec("avif", "AVIF picture", (".avif",), sniff, clip.read)
