"""What people see: tables for the terminal, figures, pages. It draws what it is given, and replays nothing."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach(__name__, submodules=["figures"])
