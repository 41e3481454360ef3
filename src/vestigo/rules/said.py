"""What the source says of the fields of a class: the docstring below each."""

import ast
import inspect
from textwrap import dedent


def said_of(kind: type) -> dict[str, str]:
    """The docstring below each field of a class and of its bases."""
    found: dict[str, str] = {}
    for base in reversed(kind.__mro__):
        if not base.__module__.startswith("vestigo."):
            continue
        body = ast.parse(dedent(inspect.getsource(base))).body[0]
        assert isinstance(body, ast.ClassDef)
        for stated, after in zip(body.body, [*body.body[1:], None], strict=True):
            if isinstance(stated, ast.AnnAssign) and isinstance(stated.target, ast.Name):
                text = (
                    after.value.value if isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant) else ""
                )
                found[stated.target.id] = " ".join(str(text).split())
    return found
