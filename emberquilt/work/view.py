"""What a verb acts on, and what a page shows."""

from collections.abc import Iterable
from dataclasses import dataclass

from ..errors import BadChoice
from .composition import Composition, Layer, Piece


@dataclass(frozen=True)
class Target:
    """`layer` holds the chosen pieces where they lie in one; otherwise it is the layer that the page shows. `pieces`
    are those chosen, openings among them, of any layer."""

    composition: Composition
    layer: Layer
    pieces: tuple[Piece, ...] = ()
    sure: bool = True
    """The layer was shown, or follows from the pieces; not sure where several are seen and none was chosen."""

    @property
    def keys(self) -> list[int]:
        return [p.key for p in self.pieces]

    @property
    def one_layer(self) -> Layer:
        """The layer to change. Raises `BadChoice` where it is not plain which is meant."""
        if len({self.composition.home[p.key].key for p in self.pieces}) > 1:
            raise BadChoice("These pieces lie in several layers. Choose pieces of one layer for that.")
        if not self.sure:
            raise BadChoice("Choose a layer first, in the small stack beside the picture: several are seen here.")
        return self.layer

    @property
    def made(self) -> tuple[Piece, ...]:
        """The chosen pieces that are made of something; with none chosen, all of the layer, or of every layer where
        several are seen."""
        chosen = tuple(p for p in self.pieces if not p.opening)
        if self.pieces:
            return chosen
        return self.layer.without_openings.pieces if self.sure else self.composition.made


def target_of(composition: Composition, keys: list[int], layer: int = 0) -> Target:
    """What a verb acts on: pieces by their keys, in a layer by its key (0: several are seen). Raises `BadChoice`."""
    missing = [key for key in keys if key not in composition.by_key]
    if missing:
        raise BadChoice("A chosen piece is no longer in this picture. Choose again.")
    pieces = tuple(composition.by_key[key] for key in keys)
    if pieces:
        return Target(composition, composition.home[pieces[0].key], pieces)
    shown = next((one for one in composition.layers if one.key == layer), None)
    return Target(composition, shown or composition.usual_layer, (), shown is not None or len(composition.layers) == 1)


FRONT, APART = "front", "apart"


@dataclass(frozen=True, slots=True)
class View:
    """What the panel shows: all layers from the front, the same lifted apart, or one layer (`kind` empty)."""

    kind: str = FRONT
    layer: int = 0

    @property
    def name(self) -> str:
        """As it stands in an address."""
        return self.kind or str(self.layer)

    @property
    def stacked(self) -> bool:
        """Several layers are seen."""
        return bool(self.kind)

    def layers(self, composition: Composition) -> tuple[Layer, ...]:
        """The layers that are seen, back to front."""
        return composition.layers if self.kind else (composition.layer(self.layer),)

    def pieces(self, composition: Composition) -> tuple[Piece, ...]:
        """The pieces that are seen and made of something."""
        return composition.made if self.kind else composition.layer(self.layer).without_openings.pieces


def view_with(composition: Composition, view: View, keys: Iterable[int]) -> View:
    """The view, or all from the front where one of these pieces would not be seen in it."""
    if view.stacked or all(composition.home[key].key == view.layer for key in keys if key in composition.home):
        return view
    return View(FRONT)


def view_of(composition: Composition, name: str = "") -> View:
    """The view under a name in an address. A work of one layer is seen as that layer; a layer that is gone, or a name
    that is none, as all from the front."""
    if len(composition.layers) == 1:
        return View("", composition.layers[0].key)
    if name.isdecimal() and len(name) < 9 and any(layer.key == int(name) for layer in composition.layers):
        return View("", int(name))
    return View(APART if name == APART else FRONT)
