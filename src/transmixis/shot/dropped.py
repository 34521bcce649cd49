"""Material that was dropped: what each piece is taken for, which shot it goes to, and what is left out and why."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.media.files import said
from transmixis.media.source import SourceInfo
from transmixis.shot.model import Plate, Role, Shot
from transmixis.shot.workorder import guess_role, plate_from, role_in_name

ASIDE: tuple[Role, ...] = ("clean", "background", "element", "reference", "still")  # belongs to somebody's hero


@dataclass(frozen=True)
class Piece:
    """A plate with what its file says, and the code of the shot that it is for."""

    plate: Plate
    info: SourceInfo
    code: str


@dataclass(frozen=True)
class Dropped:
    """What was found, in the order given, and a sentence for everything that is left out."""

    pieces: tuple[Piece, ...]
    left_out: tuple[str, ...]


def free_codes(shots: tuple[Shot, ...], count: int) -> list[str]:
    """Codes for new shots that go on from those there are."""
    taken = {s.code for s in shots}
    stem = (shots[0].code if shots else "SH010").rstrip("0123456789")[:28] or "SH"
    numbers = [int(m.group(1)) for s in shots if (m := re.fullmatch(re.escape(stem) + r"(\d{1,9})", s.code))]
    n = (max(numbers) // 10 + 1) * 10 if numbers else 10
    out: list[str] = []
    while len(out) < count:
        code = f"{stem}{n:03d}"
        if code not in taken:
            out.append(code)
        n += 10
    return out


def dropped(folder: Path, paths: list[Path], shots: tuple[Shot, ...], now: str = "") -> Dropped:
    """Take files for plates. Several takes become several shots; what goes with a take (clean plate, background, still) goes to the
    one whose name it shares most, or to the shot that is chosen. `now`: the chosen shot's code."""
    found: list[tuple[Plate, SourceInfo]] = []
    left: list[str] = []
    several: dict[str, int] = {}
    for path in paths:
        try:
            plate, info = plate_from(folder, path, None, look=True)
        except UserError as e:
            left.append(str(e))
            continue
        if any(p.path == plate.path for p, _ in found):
            several[plate.path] = several.get(plate.path, 1) + 1
            continue
        found.append((plate, info))
    left += [f"{n} of the files are frames of '{said(Path(path).name)}', which is one plate." for path, n in several.items()]
    chosen = next((s for s in shots if s.code == now), None)
    takes = _takes(found, chosen)
    codes = free_codes(shots, len(takes))
    if chosen is not None and not chosen.plates and takes:
        codes = [chosen.code, *codes[:-1]]  # what was planned gets the first take
    of_take = {found[i][0].path: code for i, code in zip(takes, codes, strict=True)}
    alone = now if chosen is not None else (free_codes(shots, 1)[0])
    pieces = []
    for i, (plate, info) in enumerate(found):
        role: Role = "hero" if i in takes else _aside(plate, info)
        code = of_take[plate.path] if i in takes else _nearest(plate, takes, found, of_take) or alone
        pieces.append(Piece(plate.model_copy(update={"role": role}), info, code))
    return Dropped(tuple(pieces), tuple(left))


def _takes(found: list[tuple[Plate, SourceInfo]], chosen: Shot | None) -> list[int]:
    """Which pieces begin a shot of their own: those named so, and the first moving one that is named nothing, with its like."""
    named = [i for i, (p, _) in enumerate(found) if role_in_name(Path(p.path)) == "hero"]
    plain = [i for i, (p, info) in enumerate(found) if role_in_name(Path(p.path)) is None and info.count > 1]
    has_hero = chosen is not None and chosen.plate_of_role("hero") is not None
    if named:
        first = named
    elif plain:
        first = plain[:1]
    elif found and not has_hero and all(role_in_name(Path(p.path)) is None for p, _ in found):
        return [0]  # a single still, or several: the first is the shot's
    else:
        return []
    like = [i for i in plain if i not in first and any(_alike(found[i][0], found[k][0]) for k in first)]
    return sorted([*first, *like])


def _aside(plate: Plate, info: SourceInfo) -> Role:
    role = guess_role(Path(plate.path), info, hero_there=True)
    return role if role in ASIDE else "still" if info.count == 1 else "background"


def _alike(a: Plate, b: Plate) -> bool:
    """Two takes: their names differ in figures alone."""
    one, two = (re.sub(r"\d+", "#", Path(p.path).name.lower()) for p in (a, b))
    return one == two


def _nearest(plate: Plate, takes: list[int], found: list[tuple[Plate, SourceInfo]], of_take: dict[str, str]) -> str:
    """The shot of the take whose name begins most like this one's; '' without takes."""
    best = max(takes, key=lambda i: _shared(plate, found[i][0]), default=None)
    return "" if best is None else of_take[found[best][0].path]


def _shared(a: Plate, b: Plate) -> int:
    one, two = Path(a.path).name.lower(), Path(b.path).name.lower()
    n = 0
    while n < min(len(one), len(two)) and one[n] == two[n]:
        n += 1
    return n
