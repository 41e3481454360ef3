"""What speaks HTTP. Needs the extra `listen`: starlette, uvicorn and OpenTelemetry's messages."""
