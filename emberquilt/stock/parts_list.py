"""The parts list: everything that is cut, with material, thickness, count, size and weight, alike parts in one line."""

from dataclasses import dataclass

from ..rack.woods import Shelf
from ..relief.mass import weight_kg
from ..work.parts import Job, Part


@dataclass(frozen=True, slots=True)
class Line:
    """Alike parts: `keys` in one copy, `count` in all copies and with spares; sizes of one in mm, weight of one."""

    role: str
    name: str
    material: str
    thickness_mm: float
    keys: tuple[str, ...]
    count: int
    width_mm: float
    height_mm: float
    area_mm2: float
    weight_kg: float | None
    layer: int = 0

    @property
    def pieces(self) -> tuple[int, ...]:
        """Those that are pieces of the picture, by key."""
        return tuple(int(key) for key in self.keys if key.isdecimal())


def parts_list(job: Job) -> tuple[Line, ...]:
    """Pieces one by one, by number; shims of one height, spacers and rails together. Back to front."""
    spares = len(job.spares)
    lines = [_line(job, [part]) for part in (*job.grounds, *job.base)]
    for layer in job.composition.layers:
        own = sorted((p for p in job.pieces.values() if p.id.layer == layer.key), key=lambda p: (p.number, p.id.piece))
        lines += [_line(job, [part]) for part in own]
    for group in _alike((*job.shims, *job.stands)):
        more = spares if group[0].role == "spacer" else 0
        lines.append(_line(job, group, more))
    if job.rails:
        lines += [_line(job, group) for group in _alike(job.rails)]
    return tuple(lines)


def _alike(parts: tuple[Part, ...]) -> list[list[Part]]:
    """Parts of one role, thickness and box."""
    groups: dict[tuple, list[Part]] = {}
    for part in parts:
        size = tuple(round(v, 1) for v in _size(part))
        groups.setdefault((part.role, part.material, part.thickness_mm, tuple(sorted(size))), []).append(part)
    return list(groups.values())


def _size(part: Part) -> tuple[float, float]:
    x0, y0, x1, y1 = part.outline.bounds
    return x1 - x0, y1 - y0


def _line(job: Job, parts: list[Part], spares: int = 0) -> Line:
    first = parts[0]
    wide, high = _size(first)
    name = first.name if len(parts) == 1 else f"{first.role}s"
    count = len(parts) * job.copies + spares
    return Line(
        first.role,
        name + (f" and {spares} spare" if spares else ""),
        first.material,
        first.thickness_mm,
        tuple(part.key for part in parts),
        count,
        wide,
        high,
        first.area_mm2,
        weight_kg(job, first),
        first.id.layer,
    )


def material_name(shelf: Shelf, material: str) -> str:
    """A material in words: the shelf's name in lower case, or what its layer says."""
    return shelf.name(material) if material in shelf else material or "nothing yet"
