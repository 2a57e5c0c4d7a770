"""Files as a slip, a torn transfer or an attacker would leave them: small sound files of each kind with something put
wrong, always the same for the same number."""

import io
import json
import random
import re
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

from tests.nasty import WRONG, places

CORPUS = Path(__file__).parent / "corpus"
KINDS = {
    "svg": (".svg",),
    "dxf": (".dxf",),
    "pdf": (".pdf",),
    "png": (".png",),
    "jpeg": (".jpg",),
    "picture": (".webp", ".gif", ".tiff", ".heic"),
    "project": (".ember",),
    "stl": (".stl",),
    "obj": (".obj",),
    "3mf": (".3mf",),
    "font": (".ttf",),
}
TEXT = ("svg", "dxf", "pdf", "obj")
NUMBERS = (
    b"NaN", b"nan", b"inf", b"-inf", b"Infinity", b"1e308", b"-1e308", b"1e309", b"1e-320", b"0", b"-0", b"-1", b"1",
    b"0.0000001", b"65536", b"1600000", b"4294967295", b"9223372036854775808", b"1e20", b"1e9", b"99999", b"", b"..",
    b"1e", b"0x10", b"\xd9\xa3", b"None", b"12,5", b"1 2", b"- 3",
)  # fmt: skip
WORDS = (
    b"none", b"", b"url(#g)", b"currentColor", b"A 0 0 0 0 0 0 0", b"a1e308 1 0 0 1 5 5", b"Z Z Z", b"M", b"m NaN NaN",
    b"\x00", b"\xff", b"]]>", b"<!--", b"&g;", b"<g>", b"</g>", b'xmlns="urn:x"', b"xmlns:a='b'", b"<use href='#p'/>",
    b"100%", b"5em", b"rotate(NaN)", b"matrix(0 0 0 0 0 0)", b"scale(1e308)", b"translate(1e308 1e308)", b"endobj",
    b"stream", b"<< /Type /Page >>", b"0 0 0 0 0 0 cm", b"LINE", b"ENDSEC", b"SECTION", b"INSERT", b"ELLIPSE",
    b"SPLINE",
    b"f 1 1 1", b"v 1 1 1", b"f 1 2 99999", b"\r\n", b"\n\n", b"  ", b"\t",
)  # fmt: skip
NUMBER = re.compile(rb"-?\d+\.?\d*(?:[eE][-+]?\d+)?")
NAME = re.compile(rb"[A-Za-z_][A-Za-z0-9_:.-]*")


def corpus(kind: str) -> list[Path]:
    return sorted(path for path in CORPUS.iterdir() if path.suffix in KINDS[kind])


def mutant(kind: str, number: int) -> bytes:
    """The file of this kind and number."""
    dice = random.Random(f"{kind} {number}")
    data = dice.choice(corpus(kind)).read_bytes()
    change = _change_of(kind, data, dice)
    for _ in range(dice.choice((1, 1, 1, 2, 3, 6))):
        data = change(data, dice)
    if kind == "svg" and dice.random() < 0.05:
        data = zlib.compress(data, wbits=31)
    return data


Change = Callable[[bytes, random.Random], bytes]


def _change_of(kind: str, data: bytes, dice: random.Random) -> Change:
    if kind == "project":
        return _in_document if dice.random() < 0.8 else _bytes
    if kind == "3mf":
        return _in_zip if dice.random() < 0.8 else _bytes
    if kind == "png" and dice.random() < 0.5:
        return _in_png
    if kind in TEXT or (kind == "stl" and data.startswith(b"solid")):
        return _text if dice.random() < 0.85 else _bytes
    return _bytes


def _bytes(data: bytes, dice: random.Random) -> bytes:
    if not data:
        return b"\x00"
    at, long = dice.randrange(len(data)), dice.choice((1, 1, 2, 4, 16, 200))
    what = dice.randrange(7)
    if what == 0:
        return data[:at] + bytes([data[at] ^ (1 << dice.randrange(8))]) + data[at + 1 :]
    if what == 1:
        return data[:at] + dice.randbytes(long) + data[at + long :]
    if what == 2:
        return data[:at] + data[at + long :]
    if what == 3:
        return data[:at] + data[at : at + long] * dice.choice((2, 3, 40)) + data[at + long :]
    if what == 4:
        return data[:at] + dice.choice((b"\x00", b"\xff", b"\x7f", b"\x80")) * long + data[at + long :]
    if what == 5:
        other = dice.randrange(len(data))
        return data[:at] + data[other : other + long] + data[at:]
    return data[:at]


def _text(data: bytes, dice: random.Random) -> bytes:
    what = dice.randrange(8)
    if what < 3:
        return _replaced(NUMBER, data, dice, NUMBERS)
    if what == 3:
        return _replaced(NAME, data, dice, WORDS)
    lines = re.split(rb"(?<=[\n>])", data)
    at = dice.randrange(len(lines))
    if what == 4:
        del lines[at]
    elif what == 5:
        lines[at:at] = [lines[dice.randrange(len(lines))]] * dice.choice((1, 2, 60))
    elif what == 6:
        lines.insert(at, dice.choice(WORDS))
    else:
        return _bytes(data, dice)
    return b"".join(lines)


def _replaced(pattern: re.Pattern, data: bytes, dice: random.Random, by: tuple[bytes, ...]) -> bytes:
    found = list(pattern.finditer(data))
    if not found:
        return _bytes(data, dice)
    one = dice.choice(found)
    return data[: one.start()] + dice.choice(by) + data[one.end() :]


def _in_zip(data: bytes, dice: random.Random) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = {name: archive.read(name) for name in archive.namelist()}
    except (zipfile.BadZipFile, zlib.error, OSError, NotImplementedError, RuntimeError, EOFError):
        return _bytes(data, dice)
    if not members:
        return data
    name = dice.choice(list(members))
    members[name] = _text(members[name], dice)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, inner in members.items():
            archive.writestr(name, inner)
    return buffer.getvalue()


def _in_document(data: bytes, dice: random.Random) -> bytes:
    """One value of a project's document is another."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            text = archive.read("composition.json").decode()
        document = json.loads(text)
        path = dice.choice([path for path in places(document) if path])
        home = document
        for name in path[:-1]:
            home = home[name]
        home[path[-1]] = "@wrong@"
        wrong = json.dumps(document).replace('"@wrong@"', dice.choice(WRONG))
    except (ValueError, KeyError, IndexError, RecursionError, zipfile.BadZipFile):
        return _bytes(data, dice)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("composition.json", wrong)
    return buffer.getvalue()


SIZES = (0, 1, 2, 24, 1000, 30_000, 1_600_000, 2**31 - 1)


def _in_png(data: bytes, dice: random.Random) -> bytes:
    """Another head, or another chunk, with a sum that is right."""
    chunks, at = [], 8
    while at + 12 <= len(data):
        long = struct.unpack(">I", data[at : at + 4])[0]
        chunks.append((data[at + 4 : at + 8], data[at + 8 : at + 8 + long]))
        at += 12 + long
    if not chunks or len(chunks[0][1]) != 13:
        return _bytes(data, dice)
    if dice.random() < 0.6:
        wide, high, *rest = struct.unpack(">IIBBBBB", chunks[0][1])
        which = dice.randrange(7)
        if which < 2:
            wide, high = (dice.choice(SIZES), high) if which else (wide, dice.choice(SIZES))
        else:
            rest[which - 2] = dice.choice((0, 1, 2, 3, 4, 6, 8, 16, 255))
        chunks[0] = (b"IHDR", struct.pack(">IIBBBBB", wide, high, *rest))
    else:
        i = dice.randrange(1, len(chunks)) if len(chunks) > 1 else 0
        name, inner = chunks[i]
        chunks[i] = (name, _bytes(inner, dice))
    return data[:8] + b"".join(
        struct.pack(">I", len(inner)) + name + inner + struct.pack(">I", zlib.crc32(name + inner))
        for name, inner in chunks
    )
