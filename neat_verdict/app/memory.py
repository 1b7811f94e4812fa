"""How often Python looks for cycles of objects in processes that go on."""

import gc

# A batch of events makes and drops some 50,000 objects, and a server keeps a million: by default Python would walk all of these
# several times a batch to find nothing.
_THRESHOLDS = (50_000, 20, 50)


def collect_seldom() -> None:
    """Leave what is there out of the search, and look again only after many objects."""
    gc.freeze()
    gc.set_threshold(*_THRESHOLDS)
