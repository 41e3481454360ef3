"""What people see: tables for the terminal, figures, pages. It shows what the core knows, and works out nothing
itself.
"""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach(__name__, submodules=["figures"])
