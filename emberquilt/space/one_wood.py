"""What is made of one piece of stock is of one wood."""

from collections.abc import Iterator, Sequence

from ..findings import Finding, Fix
from ..work.parts import Job


def of_one_wood(job: Job, what: str, keys: Sequence[int], words: str, rule: str) -> Iterator[Finding]:
    """A finding where pieces of one block or board (`what`) are of several woods."""
    name = job.composition.rack.shelf.name
    woods = sorted({job.material[key] for key in keys if job.material[key]})
    if len(woods) > 1:
        yield Finding(
            f"{what}-woods",
            "relief",
            f"The {what} is of {' and '.join(map(name, woods))}: {words}",
            rule,
            tuple(keys),
            fix=Fix(f"All of {name(woods[0])}", "wood", {"wood": woods[0]}),
        )
