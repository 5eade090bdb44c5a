"""What a file is, told by its content, never by its name; what it may be served as."""

from __future__ import annotations

from pathlib import Path

__all__ = ["MEDIA_TYPES", "SHOWN_BY_BROWSERS", "file_kind"]

MEDIA_TYPES = {
    "jpeg": "image/jpeg",
    "png": "image/png",
    "webp": "image/webp",
    "avif": "image/avif",
    "tiff": "image/tiff",
    "heic": "image/heic",
    "raw": "application/octet-stream",
    "glb": "model/gltf-binary",
    "gltf": "model/gltf+json",
}
SHOWN_BY_BROWSERS = {"jpeg", "png", "webp", "avif"}
_RAW_SUFFIXES = {".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw"}
_RAW_HEADS = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0")
_HEIC_BRANDS = {b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1"}


def file_kind(path: Path) -> str | None:
    """A key of `MEDIA_TYPES`, or None for anything else.

    A camera's raw file is mostly a TIFF inside: there alone the name's ending decides between the two.
    """
    with path.open("rb") as file:
        head = file.read(64)
    if head.startswith(b"\xff\xd8\xff"):
        return "jpeg"
    if head.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "webp"
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "raw" if path.suffix.lower() in _RAW_SUFFIXES or head[8:10] == b"CR" else "tiff"
    if head.startswith(_RAW_HEADS):
        return "raw"
    if head[4:8] == b"ftyp":
        return _boxed_kind(head)
    if head[:4] == b"glTF":
        return "glb"
    return "gltf" if head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{" else None


def _boxed_kind(head: bytes) -> str | None:
    """The kind of an ISO base media file (ISO/IEC 14496-12, section 4.3) by its brands."""
    size = min(int.from_bytes(head[:4], "big"), len(head))
    brands = {head[8:12], *(head[at : at + 4] for at in range(16, size, 4))}
    if head[8:12] == b"crx ":
        return "raw"
    if brands & {b"avif", b"avis"}:
        return "avif"
    return "heic" if brands & _HEIC_BRANDS else None
