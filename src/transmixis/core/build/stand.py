"""Pictures and boxes that stand in a solved place: where they lie in a frame, and drawn there.

World coordinates as in core.motion.pose: y points down, the ground is y = 0; lengths in the world's units.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.build.moving import placed_moving
from transmixis.core.build.over import over
from transmixis.core.build.place import placed, sampled_at
from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.pose import Camera
from transmixis.core.types import Array

DOWN = np.array([0.0, 1.0, 0.0])
BEHIND = 1e-3  # of the depth unit: what is nearer is not drawn
CARD_PX = 256  # px of the test card
FIELDS = 8  # of it to a side
SHADES = (0.50, 0.32, 0.20)  # linear, of a box's front, side and top: told apart, none burnt out


@dataclass(frozen=True)
class Card:
    """A rectangle in the place: its top left corner and the ways along its upper and left sides, (3,) each."""

    corner: Array
    along: Array
    down: Array

    @property
    def middle(self) -> Array:
        return np.asarray(self.corner + 0.5 * (self.along + self.down))

    @property
    def corners(self) -> Array:
        """(4, 3) from the top left one clockwise."""
        return np.array([self.corner + u * self.along + v * self.down for u, v in ((0, 0), (1, 0), (1, 1), (0, 1))])

    def matrix(self, camera: Camera, shape: tuple[int, int]) -> Array | None:
        """(3, 3) from px of a picture of `shape` (h, w) on it to px of the frame, the lens taken as straight; None if
        its middle lies behind."""
        h, w = shape
        if _depths(camera, self.middle)[0] <= BEHIND:
            return None
        x, y = camera.middle
        lens = np.array([[camera.focal, 0, x], [0, camera.focal, y], [0, 0, 1.0]])
        columns = [camera.turn @ self.along / w, camera.turn @ self.down / h, camera.turn @ self.corner + camera.shift]
        return np.asarray(lens @ np.array(columns).T)

    def faces(self, camera: Camera) -> bool:
        """Whether its front is turned to the camera."""
        return bool(np.cross(self.along, self.down) @ (self.middle - camera.place) > 0)


def spot_on_ground(camera: Camera, at: Sequence[float]) -> Array:
    """(3,) where the line of sight through a place (x, y) px meets the ground. Raises UserError above the horizon,
    and where the ground is not known."""
    if not camera.level:
        raise UserError("The ground is not known yet: mark it in the camera's step, or let this stand at a distance.")
    way = camera.directions(np.array([at]))[0]
    height = -float(camera.place[1])
    if height * float(way[1]) <= 1e-9 * abs(height):
        raise UserError(f"The place {at[0]:.0f}, {at[1]:.0f} lies above the ground's horizon; set it lower in the picture.")
    return np.asarray(camera.place + way * height / float(way[1]))


def spot_at(camera: Camera, at: Sequence[float], distance: float) -> Array:
    """(3,) the place that is seen at (x, y) px, so far from the camera."""
    return np.asarray(camera.place + distance * camera.directions(np.array([at]))[0])


def facing(camera: Camera, foot: Array) -> float:
    """Degrees about the upright by which something at `foot` is turned to face the camera."""
    way = foot - camera.place
    return float(np.degrees(np.arctan2(way[0], way[2])))


def card_at(foot: Array, width: float, height: float, turn: float, *, lying: bool = False) -> Card:
    """A card of `width` by `height` whose lower edge has its middle at `foot`, turned by degrees about the upright (0: it faces against z);
    `lying`: flat on the ground behind its lower edge."""
    right, ahead = ways_at(turn)
    up = ahead if lying else -DOWN
    return Card(foot - 0.5 * width * right + height * up, width * right, -height * up)


def box_at(foot: Array, width: float, height: float, depth: float, turn: float) -> tuple[Card, ...]:
    """The five sides of a box that stands on the ground with its front's lower edge's middle at `foot`: front, back, left, right, top."""
    right, ahead = ways_at(turn)
    up = -DOWN
    corner = foot - 0.5 * width * right + height * up
    across, deep, down = width * right, depth * ahead, -height * up
    return (
        Card(corner, across, down),
        Card(corner + across + deep, -across, down),
        Card(corner + deep, -deep, down),
        Card(corner + across, deep, down),
        Card(corner + deep, across, -deep),
    )


def ways_at(turn: float) -> tuple[Array, Array]:
    """To the right and ahead of something turned by degrees about the upright."""
    a = np.radians(turn)
    return np.array([np.cos(a), 0, -np.sin(a)]), np.array([np.sin(a), 0, np.cos(a)])


def slip_card(shade: float = SHADES[0]) -> Array:
    """(CARD_PX, CARD_PX, 4) fields in two tones with a rim, on which any slide is seen."""
    ys, xs = np.mgrid[0:CARD_PX, 0:CARD_PX] * FIELDS // CARD_PX
    tone = np.where((xs + ys) % 2 == 0, shade, 0.35 * shade).astype(np.float32)
    rim = CARD_PX // 64
    tone[:rim] = tone[-rim:] = tone[:, :rim] = tone[:, -rim:] = 1.3 * shade
    out = np.repeat(tone[..., None], 4, axis=2)
    out[..., 3] = 1
    return out


@dataclass(frozen=True)
class Around:
    """The cameras a frame before, at the frame, and after it."""

    before: Camera
    now: Camera
    after: Camera


@dataclass(frozen=True)
class Standing:
    """A card with its picture (h', w', 4), and where it was a frame before and is a frame after; None where it stands still."""

    card: Card
    picture: Array
    before: Card | None = None
    after: Card | None = None

    @property
    def ways(self) -> tuple[Card, Card, Card]:
        """The card before, now and after."""
        return self.before or self.card, self.card, self.after or self.card


def drawn(cards: Sequence[Standing], around: Around, size: tuple[int, int], shutter: float) -> Array:
    """(h, w, 4) cards with their pictures, the nearer ones over the farther, as the camera sees them with its lens, smeared by its way and theirs
    while the shutter (degrees) is open."""
    lens = Lens.of(around.now)
    if lens.straight:
        return _straight(cards, around, size, shutter)
    edge = lens.margin(size)  # what the lens draws in from beside the frame
    wider = Around(*(_with_edge(c, edge) for c in (around.before, around.now, around.after)))
    made = _straight(cards, wider, (size[0] + 2 * edge, size[1] + 2 * edge), shutter)
    return sampled_at(made, lens.bent_map(size) + edge)


def _with_edge(camera: Camera, edge: int) -> Camera:
    """The same for frames with so many px more on each side."""
    x, y = camera.middle
    return replace(camera, middle=(x + edge, y + edge))


def _straight(cards: Sequence[Standing], around: Around, size: tuple[int, int], shutter: float) -> Array:
    """As a lens would see them that does not bend."""
    out = np.zeros((*size, 4), np.float32)
    for one in sorted(cards, key=lambda c: -float(np.linalg.norm(c.card.middle - around.now.place))):
        made = _one(one, around, size, shutter)
        if made is not None:
            out = over(made, out)
    return out


def _one(one: Standing, around: Around, size: tuple[int, int], shutter: float) -> Array | None:
    picture = one.picture
    shape = (picture.shape[0], picture.shape[1])
    seen = list(zip(one.ways, (around.before, around.now, around.after), strict=True))
    before, now, after = (card.matrix(camera, shape) for card, camera in seen)
    if now is None:
        return None
    # through the eye: part of it lies behind a camera, so that its corners do not tell its way
    through = any(_depths(camera, card.corners).min() <= BEHIND for card, camera in seen)
    if shutter <= 0 or before is None or after is None or through:
        return placed(picture, now, size)
    return placed_moving(picture, before, now, after, size, shutter)


def _depths(camera: Camera, points: Array) -> Array:
    """(n,) how far before the camera points (n, 3) lie."""
    return np.asarray((points.reshape(-1, 3) @ camera.turn.T + camera.shift)[:, 2])
