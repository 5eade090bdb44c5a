"""What a file is, told by its content, never by its name; what it may be served as."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

__all__ = [
    "GRAPHIC_KINDS",
    "MEDIA_TYPES",
    "MODEL_KINDS",
    "PANORAMA_KINDS",
    "PHOTOMETRY_KINDS",
    "SHOWN_BY_BROWSERS",
    "file_kind",
    "numbered_pictures",
]

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
    "usd": "model/vnd.usd+zip",
    "3mf": "model/3mf",
    "step": "model/step",
    "ifc": "application/x-step",
    "obj": "model/obj",
    "ply": "application/octet-stream",
    "stl": "model/stl",
    "off": "text/plain",
    "zip": "application/zip",
    "svg": "application/octet-stream",  # never as what a browser would run
    "film": "application/octet-stream",
    "sequence": "application/zip",
    "hdr": "application/octet-stream",
    "exr": "application/octet-stream",
    "ies": "text/plain",
    "cube": "text/plain",
}
MODEL_KINDS = ("glb", "gltf", "usd", "3mf", "step", "ifc", "obj", "ply", "stl", "off", "zip")
GRAPHIC_KINDS = ("svg", "film")  # and every photograph
_PICTURE_SUFFIXES = {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp"}
PANORAMA_KINDS = ("hdr", "exr")  # and every photograph that is twice as wide as high
PHOTOMETRY_KINDS = ("ies",)
SHOWN_BY_BROWSERS = {"jpeg", "png", "webp", "avif"}
_RAW_SUFFIXES = {".dng", ".nef", ".cr2", ".cr3", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw"}
_RAW_HEADS = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0")
_OBJ_WORDS = {b"v", b"vn", b"vt", b"f", b"o", b"g", b"s", b"mtllib", b"usemtl", b"l", b"p", b"vp"}
_FILM_BRANDS = {b"isom", b"iso2", b"iso4", b"iso5", b"iso6", b"mp41", b"mp42", b"avc1", b"qt  ", b"M4V ", b"av01"}
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
    if head.startswith((b"#?RADIANCE", b"#?RGBE")):
        return "hdr"
    if head.startswith(b"\x76\x2f\x31\x01"):
        return "exr"
    if head.startswith(_RAW_HEADS):
        return "raw"
    if head.startswith(b"\x1a\x45\xdf\xa3") or (head[:4] == b"RIFF" and head[8:12] == b"AVI "):
        return "film"
    if head[4:8] == b"ftyp":
        return _boxed_kind(head)
    return _model_kind(path, head)


def _model_kind(path: Path, head: bytes) -> str | None:
    if head[:4] == b"glTF":
        return "glb"
    if head[:4] in (b"PK\3\4", b"PK\5\6"):
        return _zipped_kind(path)
    if head.startswith((b"PXR-USDC", b"#usda")):
        return "usd"
    if head.startswith((b"ply\n", b"ply\r")):
        return "ply"
    with path.open("rb") as file:
        begin = file.read(1 << 16)
    if begin[:2] in (b"\xff\xfe", b"\xfe\xff"):
        begin = begin.decode("utf-16", "replace").encode()
    begin = begin.lstrip(b"\xef\xbb\xbf \t\r\n")
    if begin[:1] == b"<" and re.search(rb"<(\w+:)?svg[\s>]", begin):
        return "svg"
    if re.search(rb"^TILT=", begin, re.MULTILINE) or begin.startswith(b"IESNA"):
        return "ies"
    if re.search(rb"^LUT_[13]D_SIZE\s", begin, re.MULTILINE):
        return "cube"
    if begin[:1] == b"{":
        return "gltf"
    if begin.startswith(b"ISO-10303-21"):
        return "ifc" if re.search(rb"FILE_SCHEMA\s*\(\s*\(\s*'IFC", begin) else "step"
    if re.match(rb"(ST)?C?N?4?n?OFF\b", begin):
        return "off"
    return _stl_or_obj(path, begin)


def _stl_or_obj(path: Path, begin: bytes) -> str | None:
    """Two that have no mark: STL by its length or its first words, OBJ by the words that its lines begin with.

    A damaged one has neither: then its name's ending says what it should have been.
    """
    if path.stat().st_size == 84 + 50 * int.from_bytes(begin[80:84].ljust(4, b"\0"), "little"):
        return "stl"
    if re.match(rb"solid\b", begin) and re.search(rb"\bfacet\b", begin):
        return "stl"
    lines = [line.split(None, 1) for line in begin.splitlines()[:2000] if line.strip() and not line.startswith(b"#")]
    known = sum(words[0] in _OBJ_WORDS for words in lines)
    if lines and known >= 0.8 * len(lines) and any(words[0] == b"v" for words in lines):
        return "obj"
    return path.suffix.lower()[1:] if path.suffix.lower() in (".stl", ".obj") else None


def _zipped_kind(path: Path) -> str:
    """What a zip is: formats that are zips themselves have a mark in their lists."""
    try:
        with zipfile.ZipFile(path) as package:
            names = package.namelist()
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return "zip"
    if any(name.lower().endswith(".model") and name.startswith("3D/") for name in names):
        return "3mf"
    if _numbered(names):
        return "sequence"
    # A USDZ package's first file is its stage, and nothing in it is packed.
    return "usd" if names and names[0].lower().endswith((".usd", ".usda", ".usdc")) else "zip"


def _numbered(names: list[str]) -> list[str]:
    """Names of pictures in the order of the last number in each; none if anything else is among them."""
    files = [name for name in names if not name.endswith("/") and not re.search(r"(^|/)(\.|__MACOSX/)", name)]
    told = [(re.findall(r"\d+", Path(name).stem), name) for name in files]
    if not told or any(not digits or Path(name).suffix.lower() not in _PICTURE_SUFFIXES for digits, name in told):
        return []
    return [name for _, name in sorted((int(digits[-1]), name) for digits, name in told)]


def numbered_pictures(path: Path) -> list[str]:
    """The names of a zip's numbered pictures, in the order of their numbers."""
    with zipfile.ZipFile(path) as package:
        return _numbered(package.namelist())


def _boxed_kind(head: bytes) -> str | None:
    """The kind of an ISO base media file (ISO/IEC 14496-12, section 4.3) by its brands."""
    size = min(int.from_bytes(head[:4], "big"), len(head))
    brands = {head[8:12], *(head[at : at + 4] for at in range(16, size, 4))}
    if head[8:12] == b"crx ":
        return "raw"
    if brands & {b"avif", b"avis"}:
        return "avif"
    if brands & _HEIC_BRANDS:
        return "heic"
    return "film" if brands & _FILM_BRANDS else None
