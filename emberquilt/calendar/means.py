"""What a shop has to plan with: people and their hours, what is clamped with, places that cannot always be used."""

import datetime as dt
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from ..errors import BadChoice
from ..hours import windows
from ..lazy import lazy

MINUTE = dt.timedelta(minutes=1)
MOST_YEARS = 10
TOO_LONG = f"The job does not end within {MOST_YEARS} years of these hours. Type more of them."
MOST_PEOPLE = 8
OUTDOORS = "outdoors"


class Clock:
    """Whole minutes from the first moment of a plan, and the shop's clock beside them. Where that moment knows its zone
    minutes are those that pass, through both changes of the clock; otherwise every day has 24 hours."""

    def __init__(self, start: dt.datetime):
        self.start = start
        self._zone = start.tzinfo
        self._from = start.astimezone(dt.UTC) if self._zone else start

    def minute(self, moment: dt.datetime) -> float:
        """Minutes from the start to a moment on the shop's clock."""
        return ((moment.astimezone(dt.UTC) if self._zone else moment) - self._from) / MINUTE

    def moment(self, minute: int) -> dt.datetime:
        at = self._from + minute * MINUTE
        return at.astimezone(self._zone) if self._zone else at

    def on(self, moment: dt.datetime) -> dt.datetime:
        """A moment read from a file or a form, on the shop's clock."""
        if self._zone is None:
            return moment.replace(tzinfo=None)
        return moment.astimezone(self._zone) if moment.tzinfo else moment.replace(tzinfo=self._zone)


class Windows:
    """Spans of whole minutes in order, worked out as far as they are asked for."""

    def __init__(self, spans: Iterator[tuple[int, int]]):
        self.begins: list[int] = []
        self.ends: list[int] = []
        self._more = spans

    def known(self, i: int) -> bool:
        """Whether there is a span `i`; it is worked out."""
        while i >= len(self.begins):
            following = next(self._more, None)
            if following is None:
                return False
            self.begins.append(following[0])
            self.ends.append(following[1])
        return True

    def upto(self, minute: int) -> None:
        """Work out all spans that begin before a minute."""
        while self.known(len(self.begins)) and self.begins[-1] < minute:
            pass


@dataclass(frozen=True)
class Person:
    """One pair of hands: hours as typed for the days of the week, days on which there are none, and after how many
    minutes a pause comes, and how long it is."""

    name: str
    week: Mapping[str, str]
    off: frozenset[dt.date] = frozenset()
    pause: tuple[int, int] = (0, 0)

    def windows(self, clock: Clock) -> Iterator[tuple[int, int]]:
        """In whole minutes. Raises `BadChoice` when there are none."""
        for opens, closes in windows(dict(self.week), clock.start, MOST_YEARS * 366):
            if opens.date() in self.off:
                continue
            begin, end = math.ceil(clock.minute(opens) - 1e-9), math.floor(clock.minute(closes) + 1e-9)
            begin = max(begin, 0)
            after, long = self.pause
            while after and long and end - begin > after + long:
                yield begin, begin + after
                begin += after + long
            if end > begin:
                yield begin, end


@dataclass(frozen=True)
class Place:
    """Where something can be done only by `daylight`, and only while it is at least `least_c` there. `latitude_deg`
    gives the daylight, `coldest_c` and `warmest_c` an afternoon in the middle of winter and of summer."""

    daylight: bool = True
    least_c: float | None = None
    latitude_deg: float = 47.0
    coldest_c: float = 3.0
    warmest_c: float = 25.0

    def celsius(self, day: dt.date) -> float:
        """Of a usual afternoon: between coldest and warmest month, a month after the sun. Own assumption."""
        south = 182.6 if self.latitude_deg < 0 else 0.0
        swing = math.cos(2 * math.pi * (day.timetuple().tm_yday - 20 - south) / 365.25)
        return (self.warmest_c + self.coldest_c) / 2 - (self.warmest_c - self.coldest_c) / 2 * swing

    def sun(self, day: dt.date) -> tuple[float, float] | None:
        """Hours of sunrise and sunset by standard time, noon at 12; None where it does not rise. Declination and the
        hour angle at -0.833 degrees as almanacs reckon them (from memory); the year's swing of noon, up to 16 minutes,
        and the place in its zone are left out."""
        turn = 2 * math.pi * (day.timetuple().tm_yday - 81) / 365.25
        declination = math.asin(math.sin(math.radians(23.44)) * math.sin(turn))
        latitude = math.radians(self.latitude_deg)
        low = math.sin(math.radians(-0.833)) - math.sin(latitude) * math.sin(declination)
        cosine = low / (math.cos(latitude) * math.cos(declination))
        if cosine >= 1:
            return None
        half = math.degrees(math.acos(max(cosine, -1.0))) / 15
        return 12 - half, 12 + half

    def windows(self, clock: Clock) -> Iterator[tuple[int, int]]:
        for offset in range(MOST_YEARS * 366):
            midnight = (clock.start + dt.timedelta(days=offset)).replace(hour=0, minute=0, second=0, microsecond=0)
            if self.least_c is not None and self.celsius(midnight.date()) < self.least_c:
                continue
            sun = self.sun(midnight.date()) if self.daylight else (0.0, 24.0)
            if sun is None:
                continue
            summer = (midnight + dt.timedelta(hours=12)).dst() or dt.timedelta()
            if not self.daylight:
                summer = dt.timedelta()
            light = [midnight + dt.timedelta(hours=hour) + summer for hour in sun]
            begin, end = math.ceil(clock.minute(light[0])), math.floor(clock.minute(light[1]))
            if end > max(begin, 0):
                yield max(begin, 0), end


@dataclass(frozen=True)
class Means:
    """`held`: how many there are of each thing that steps hold, such as clamps; `places` that cannot always be used."""

    people: tuple[Person, ...]
    held: Mapping[str, int] = field(default_factory=dict)
    places: Mapping[str, Place] = field(default_factory=dict)

    def __post_init__(self):
        if not self.people:
            raise BadChoice("Nobody is there to do it: name one person with hours.")
        if len(self.people) > MOST_PEOPLE:
            raise BadChoice(f"Up to {MOST_PEOPLE} people can be planned for.")

    @lazy
    def names(self) -> dict[str, int]:
        return {person.name: i for i, person in enumerate(self.people)}
