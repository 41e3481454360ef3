"""What people see: tables for the terminal, figures. It shows what the core knows and computes nothing of its own."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach(__name__, submodules=["figures"])
