// A small service: an HTTP server whose requests read vessels, each read a span, exported as PROTO or JSON.
// node node_service.mjs ENDPOINT ENCODING REQUESTS
import http from "node:http";
import { trace } from "@opentelemetry/api";
import { OTLPTraceExporter as AsJson } from "@opentelemetry/exporter-trace-otlp-http";
import { OTLPTraceExporter as AsProtobuf } from "@opentelemetry/exporter-trace-otlp-proto";
import { resourceFromAttributes } from "@opentelemetry/resources";
import { BatchSpanProcessor, NodeTracerProvider } from "@opentelemetry/sdk-trace-node";

const [url, encoding, requests] = process.argv.slice(2);
const exporter = encoding === "json" ? new AsJson({ url }) : new AsProtobuf({ url, compression: "gzip" });
const provider = new NodeTracerProvider({
  resource: resourceFromAttributes({ "service.name": "desk", "service.instance.id": "quay-9" }),
  spanProcessors: [new BatchSpanProcessor(exporter, { maxQueueSize: 20000 })],
});
provider.register();
const tracer = trace.getTracer("desk");

const server = http.createServer((request, response) => {
  const sign = request.url.slice("/vessels/".length);
  tracer.startActiveSpan("desk", (page) => {
    const read = tracer.startSpan("vessel.load", { attributes: { "vessel.call_sign": sign, "answer.bytes": 120 } });
    read.end();
    page.end();
    response.end("ok");
  });
});

server.listen(0, "127.0.0.1", async () => {
  const { port } = server.address();
  const agent = new http.Agent({ keepAlive: true, maxSockets: 8 });
  const ask = (path) =>
    new Promise((done, failed) => {
      http.get({ port, path, agent }, (answer) => answer.resume().on("end", done)).on("error", failed);
    });
  for (let begun = 0; begun < Number(requests); begun += 8) {
    await Promise.all([...Array(8).keys()].map((one) => ask(`/vessels/Q${(begun + one) % 25}`)));
  }
  await provider.shutdown();
  agent.destroy();
  server.close();
});
