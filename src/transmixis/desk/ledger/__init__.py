"""The ledger: time runs down; a film edge, then a column a step (or a folded part) with the trace of its worst reading.

The limit stands at the same place in every column, so faults are read across and cause and effect line up.
"""

from transmixis.desk.ledger.layout import LIMIT_AT, ZOOMS
from transmixis.desk.ledger.widget import Ledger

__all__ = ["LIMIT_AT", "ZOOMS", "Ledger"]
