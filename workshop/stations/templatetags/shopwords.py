"""Lengths, areas and times in the shop's words, with true fractions."""

import json
import re
from typing import Any

from django import template
from django.urls import reverse
from django.utils.html import conditional_escape, format_html
from django.utils.safestring import mark_safe

from emberquilt.practice import Practice, written_money
from emberquilt.units import format_length, format_minutes, inch_parts

register = template.Library()


KG_PER_LB = 0.45359237
FRACTION = re.compile(r"(?:(\d+) )?(\d+/\d+)")


@register.filter
def fractions(text: str):
    """``2 3/8`` for the words of a drawing, its fraction set as one."""
    found = FRACTION.fullmatch(text)
    if found is None:
        return text
    whole, part = found.groups()
    return format_html('{}<tspan class="fr">{}</tspan>', whole or "", part)


@register.filter
def measure(mm: float | None, practice: Practice):
    """``2 3/8 in`` set with a true fraction, or millimetres."""
    if mm is None:
        return "not set"
    if practice.unit_for(mm) != "in":
        return format_html('<span class="m">{}</span>\u00a0mm', format_length(mm, "mm", with_unit=False))
    return format_html("{}\u00a0in", bare_inches(mm, practice.denominator))


@register.filter
def weight(kg: float, practice: Practice):
    """``5.1 lb`` or ``2.3 kg``."""
    if practice.unit == "in":
        return format_html('<span class="m">{}</span>\u00a0lb', f"{kg / KG_PER_LB:.1f}")
    return format_html('<span class="m">{}</span>\u00a0kg', f"{kg:.1f}")


@register.filter
def figure(mm: float | None, practice: Practice):
    """The length without its unit."""
    if mm is None:
        return ""
    if practice.unit != "in":
        return format_html('<span class="m">{}</span>', format_length(mm, "mm", with_unit=False))
    return bare_inches(mm, practice.denominator)


def bare_inches(mm: float, denominator: int):
    whole, rest = inch_parts(mm, denominator)
    fraction = format_html('<span class="fr{}">{}</span>', " joined" if whole else "", str(rest)) if rest else ""
    # the space is read aloud and copied; the style draws the fraction closer
    return format_html(
        '<span class="m">{}{}{}</span>', whole if whole or not rest else "", " " if whole and rest else "", fraction
    )


@register.filter
def uncapped(text: str) -> str:
    """A title in the middle of a sentence."""
    return text[:1].lower() + text[1:]


@register.filter
def plain_measure(mm: float, practice: Practice) -> str:
    """The length in plain letters, for an attribute."""
    return practice.say(mm)


@register.filter
def wood_name_or_words(text: str, shelf) -> str:
    """The name of what stands on the shelf under this code, or the words as they are."""
    return shelf[text].name if text in shelf else text


MEASURE = re.compile(r"(\d) (\d+/\d+|in\b|mm\b|min\b)")


@register.filter
def unbroken(sentence: str) -> str:
    """A sentence in which no measure falls apart at the end of a line."""
    for _ in range(2):
        sentence = MEASURE.sub("\\1\u00a0\\2", sentence)
    return sentence


@register.filter
def typed(mm: float | None, practice: Practice) -> str:
    """The length as one would type it, for a field: sent back unchanged it is the same length."""
    return "" if mm is None else practice.written(mm)


@register.filter
def typed_money(amount: float | None) -> str:
    return "" if amount is None else written_money(amount)


@register.filter
def offered(mm: float, practice: Practice) -> str:
    """A length to begin with, for a field nobody filled yet."""
    return practice.offered(mm)


@register.filter
def area(mm2: float, practice: Practice):
    number, unit = practice.say_area(mm2).split()
    return format_html('<span class="m">{}</span> {}', number, unit)


@register.filter
def warmth(practice: Practice) -> str:
    """How warm the shop is."""
    return practice.say_warmth(practice.shop_c)


@register.filter
def minutes(value: float) -> str:
    return format_minutes(value)


@register.filter
def rounded_time(value: float) -> str:
    """Whole hours where there are many."""
    return f"{value / 60:.0f} h" if value >= 180 else format_minutes(value)


@register.filter
def wood_name(code: str, shelf) -> str:
    return shelf[code].name if code in shelf else "no wood"


@register.filter
def clock(seconds: float) -> str:
    """Minutes and seconds, with hours before them where there are any."""
    minutes, rest = divmod(int(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02d}:{rest:02d}" if hours else f"{minutes}:{rest:02d}"


@register.simple_tag
def mark():
    """The square that stands for the product: an eight-pointed quilt star in ember and paper."""
    return mark_safe(
        '<svg viewBox="0 0 34 34" width="34" height="34" aria-hidden="true">'
        '<rect x="1" y="1" width="32" height="32" fill="#2a2521"/>'
        '<path d="M17 3L21.5 12.5 17 17Z M31 17L21.5 21.5 17 17Z M17 31L12.5 21.5 17 17Z M3 '
        '17L12.5 12.5 17 17Z" fill="#b23a12"/>'
        '<path d="M17 3L12.5 12.5 17 17Z M31 17L21.5 12.5 17 17Z M17 31L21.5 21.5 17 17Z M3 '
        '17L12.5 21.5 17 17Z" fill="#f0ddb0"/></svg>'
    )


@register.filter
def fix_values(fix, finding) -> str:
    """A fix as the values its button posts, safe inside a single-quoted attribute."""
    values = dict(fix.values)
    pieces = ",".join(str(key) for key in values.pop("pieces", finding.pieces))
    if fix.verb == "accept":
        values["finding"] = finding.id
    text = json.dumps({"verb": fix.verb, "pieces": pieces, **{name: str(value) for name, value in values.items()}})
    return conditional_escape(text)


@register.filter
def copies(letters) -> int:
    """How many cutting copies these pieces take."""
    return max(letters, default=0)


@register.filter
def times15(value: int) -> int:
    """Ticks of the dial stand every fifteen degrees."""
    return value * 15


@register.filter
def negative(degrees: float) -> float:
    """Screens turn clockwise, arrows are given counter-clockwise."""
    return -degrees


@register.filter
def percent_fine(share: float) -> str:
    """With one decimal where it is below one."""
    return f"{100 * share:.1f} %" if share < 0.01 else f"{100 * share:.0f} %"


@register.filter
def percent(share: float) -> str:
    return f"{share:.0%}"


@register.filter
def size(coverage) -> int:
    return len(coverage)


@register.filter
def words(text: str) -> list[str]:
    """A text as the list of its words."""
    return text.split()


@register.simple_tag(takes_context=True)
def key_verb(context, key: str, verb: str, words: str, label: str = "", **values: Any) -> str:
    """A button that does a verb with its key beside it; values as a form would send them."""
    told = json.dumps({"verb": verb, **{name: str(value) for name, value in values.items()}})
    spoken = format_html(' aria-label="{}"', label) if label else ""
    return format_html(
        '<button type="button" data-key="{}"{} hx-post="{}" hx-vals="{}"><kbd>{}</kbd> {}</button>',
        key,
        spoken,
        context["do_url"],
        told,
        key.upper(),
        words,
    )


@register.simple_tag
def key_tool(key: str, tool: str, words: str, closed: bool = False) -> str:
    """A button that takes up a drawing tool."""
    shut = mark_safe(' data-closed="yes"') if closed else ""
    return format_html(
        '<button type="button" data-key="{}" data-tool="{}"{} data-words="{}"><kbd>{}</kbd> {}</button>',
        key,
        tool,
        shut,
        words,
        key.upper(),
        words,
    )


@register.simple_tag
def key_choose(key: str, keys: str, words: str, first: bool = False) -> str:
    """A button that chooses pieces."""
    strong = mark_safe(' class="first"') if first else ""
    return format_html(
        '<button type="button"{} data-key="{}" data-choose="{}"><kbd>{}</kbd> {}</button>',
        strong,
        key,
        keys,
        key.upper(),
        words,
    )


@register.simple_tag(takes_context=True)
def key_knot(context, key: str, knot: str, words: str, first: bool = False) -> str:
    """A button that goes to a step of the gluing."""
    strong = mark_safe(' class="first"') if first else ""
    return format_html(
        '<button type="button"{} data-key="{}" hx-get="{}" hx-include="#state [name=view], #state [name=show]" '
        'hx-vals="{}"><kbd>{}</kbd> {}</button>',
        strong,
        key,
        reverse("ticket", args=(context["row"].uid, "assembly")),
        json.dumps({"knot": knot}),
        key.upper(),
        words,
    )


@register.simple_tag
def key_link(key: str, address: str, words: str, first: bool = False) -> str:
    """A link with its sign beside it; a sign that is one letter is its key too."""
    strong = mark_safe(' class="first"') if first else ""
    pressed = format_html(' data-key="{}"', key) if key.isascii() and len(key) == 1 else ""
    return format_html('<a href="{}"{}{}><kbd>{}</kbd> {}</a>', address, strong, pressed, key.upper(), words)


@register.simple_tag
def doing(verb: str, **values: Any) -> str:
    """A verb with values for `hx-vals`, safe inside double quotes."""
    return conditional_escape(json.dumps({"verb": verb, **{name: str(value) for name, value in values.items()}}))
