"""What a work is called before somebody names it."""

import re


def title_of(file_name: str) -> str:
    """From the name of the file that it came from."""
    stem = re.sub(r"\.[^.]*$", "", file_name.replace("\\", "/").rsplit("/", 1)[-1])
    words = " ".join(re.sub(r"[_-]+", " ", stem).split())[:120]
    return words[:1].upper() + words[1:] or "New picture"
