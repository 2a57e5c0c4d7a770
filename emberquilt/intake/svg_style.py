"""Style sheets inside drawings, brought to the few rules a drawing can use."""

import re

MOST_RULES = 5_000
MARKS = re.compile(r"[{}]|/\*|\*/|\"|'")


def flat_rules(text: str) -> str:
    """The plain rules of a style sheet, in order, without comments, rules inside rules, and what is left open; read
    once from end to end, whatever it holds."""
    rules: list[str] = []
    depth = 0
    nested = False
    comment = False
    quote = ""
    began = 0
    selector: list[str] = []
    body: list[str] = []
    for mark in MARKS.finditer(text):
        what, at = mark[0], mark.start()
        if quote:
            quote = "" if what == quote else quote
            continue
        if comment:
            if what == "*/":
                comment, began = False, mark.end()
            continue
        if what in "\"'":
            quote = what
            continue
        (body if depth else selector).append(text[began:at])
        began = mark.end()
        if what == "/*":
            comment = True
        elif what == "{":
            nested |= depth > 0
            depth += 1
        elif what == "}" and depth:
            depth -= 1
            if not depth:
                name = "".join(selector).strip()
                if name and not nested and not name.startswith("@"):
                    rules.append(f"{name}{{{''.join(body).strip()}}}")
                selector, body, nested = [], [], False
                if len(rules) == MOST_RULES:
                    break
    return "\n".join(rules)
