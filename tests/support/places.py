"""Where the tests find the project, and whether they run without Qt."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
NO_QT = os.environ.get("TRANSMIXIS_NO_QT") == "1"  # everything below the window is tested as if Qt were not installed
