"""python -m transmixis.cli"""

from __future__ import annotations

from transmixis.cli import main

if __name__ == "__main__":
    main()
