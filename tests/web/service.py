"""A small service with OpenTelemetry's own SDK: python service.py ENDPOINT READS. Every tenth vessel is stored anew."""

import sys

from opentelemetry.exporter.otlp.proto.http import Compression
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor


def main(endpoint: str, reads: int) -> None:
    provider = TracerProvider(resource=Resource.create({"service.name": "desk", "service.instance.id": "quay-1"}))
    exporter = OTLPSpanExporter(endpoint=endpoint, compression=Compression.Gzip)
    provider.add_span_processor(BatchSpanProcessor(exporter, max_queue_size=20_000))
    tracer = provider.get_tracer("desk")
    for number in range(reads):
        sign = f"Q{number % 25}"
        with (
            tracer.start_as_current_span("page"),
            tracer.start_as_current_span(
                "vessel.load", attributes={"vessel.call_sign": sign, "answer.rows": number % 4}
            ),
        ):
            pass
        if number % 10 == 9:
            with tracer.start_as_current_span("vessel.store", attributes={"vessel.call_sign": sign}):
                pass
    provider.shutdown()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
