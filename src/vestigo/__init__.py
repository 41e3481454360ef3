"""Replays recorded read traces against in-process cache settings, so that you can choose the settings by measured
numbers.

`__init__.pyi` lists the public names. The list is read when the first of them is used, and each is imported when it is
used, so that ``import vestigo`` costs nothing, and the command line is soon ready for Ctrl-C.
"""

__version__ = "1.0.0"


def __getattr__(name: str) -> object:
    import lazy_loader

    found, listed, names = lazy_loader.attach_stub(__name__, __file__)
    globals().update(__getattr__=found, __dir__=listed, __all__=names)
    return names if name == "__all__" else found(name)


def __dir__() -> list[str]:
    return list(__getattr__("__all__"))  # type: ignore[call-overload]
