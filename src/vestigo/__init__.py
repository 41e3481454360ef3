"""Replays recorded read traces against in-process cache settings, so that you can choose the settings by measured
numbers.

`__init__.pyi` lists the public names. Each is imported when it is first used, so that ``import vestigo`` costs nothing.
"""

import lazy_loader

from vestigo.data import displayed_by

displayed_by("vestigo.show.displayed")
__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
__version__ = "0.1.0"
