"""How many slips of tracks are named within two frames, how many asks are none, and how many frames a hand has to set.

python bench/track_slips.py [CLIPS]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))

from slipclips import Count, counted, hands_asked, hands_plainly, hard_clip


def main(clips: int = 36) -> None:
    """Count on made clips, and say it."""
    total = Count()
    for seed in range(clips):
        total += counted(seed)
    print(f"slips named within 2 frames: {total.named} of {total.slips} (bar 95 %)")
    print(f"asks where the error stays under half its limit: {total.false} of {total.asks} (bar 5 %)")
    plain = asked = 0
    for seed in range(70, 73):
        c = hard_clip(seed, 4)
        with tempfile.TemporaryDirectory() as folder:
            for k in range(4):
                if c.shown[0, k]:
                    plain, asked = plain + hands_plainly(c, k), asked + hands_asked(c, k, Path(folder))
    print(f"frames set by hand: {asked}, by plain forward tracking {plain} (bar: half)")


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:2]))
