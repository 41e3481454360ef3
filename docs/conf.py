"""``make docs``: the pages of this folder and a reference of the public names, as HTML in build/docs."""

import vestigo

project = "Vestigo"
version = release = vestigo.__version__
extensions = ["sphinx.ext.autodoc", "myst_parser"]
highlight_language = "none"  # commands and plans are no Python; blocks that say what they are have its colours
html_theme = "furo"
html_title = f"Vestigo {release}"
html_static_path = ["static"]
html_css_files = ["wide.css"]  # what commands print has 100 columns
html_show_copyright = False
default_role = "code"  # our docstrings write names between single backticks
autodoc_default_options = {"members": True, "undoc-members": False, "member-order": "bysource"}
autodoc_typehints = "signature"
suppress_warnings = ["myst.header", "myst.xref_missing", "ref.python"]  # members named like a type: bytes
myst_heading_anchors = 3
