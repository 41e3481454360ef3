"""What HTTP says about a request (RFC 9110): whether it reads or changes, and what its status tells of the value."""

OPS = {"GET": "read", "HEAD": "read", "PUT": "write", "POST": "write", "PATCH": "write", "DELETE": "remove"}
"""By method. Others neither read nor change."""
GONE = ["404", "410"]
"""There is no value."""
