// Skerrow Quay's desk as a service: GET /vessels/SIGN, PUT /vessels/SIGN, and its counters at /metrics.
// It has a cache of MOST_ENTRIES, and a span around each read and each store: node service.mjs ENDPOINT MOST_ENTRIES
import http from "node:http";
import { SpanKind, trace } from "@opentelemetry/api";
import { OTLPTraceExporter } from "@opentelemetry/exporter-trace-otlp-proto";
import { resourceFromAttributes } from "@opentelemetry/resources";
import { BatchSpanProcessor, NodeTracerProvider } from "@opentelemetry/sdk-trace-node";
import { Cache } from "./cache.mjs";

const [url, most] = process.argv.slice(2);
const provider = new NodeTracerProvider({
  resource: resourceFromAttributes({ "service.name": "desk", "service.instance.id": "quay-1" }),
  spanProcessors: [new BatchSpanProcessor(new OTLPTraceExporter({ url }), { maxQueueSize: 50_000 })],
});
const tracer = provider.getTracer("desk");
const cache = new Cache(Number(most));
const counts = { hit: 0, miss: 0 };
const vessels = new Map([...Array(300).keys()].map((number) => [`Q${number}`, { name: `Vessel ${number}`, visits: 0 }]));

function read(sign) {
  let vessel = cache.get(sign);
  counts[vessel === undefined ? "miss" : "hit"] += 1;
  if (vessel === undefined) {
    vessel = vessels.get(sign) ?? null; // where a real desk would ask its database
    cache.set(sign, vessel);
  }
  return vessel;
}

function store(sign) {
  const vessel = vessels.get(sign) ?? { name: sign, visits: 0 };
  vessels.set(sign, { ...vessel, visits: vessel.visits + 1 });
  cache.drop(sign);
  return vessel;
}

function traced(name, sign, what) {
  const span = tracer.startSpan(name, { kind: SpanKind.INTERNAL, attributes: { "vessel.sign": sign } });
  const vessel = what(sign);
  span.setAttributes({ "vessel.known": vessel !== null, "vessel.bytes": vessel ? JSON.stringify(vessel).length : 0 });
  span.end();
  return vessel;
}

function metrics() {
  const lines = Object.entries(counts).map(([answer, count]) => `desk_reads_total{answer="${answer}"} ${count}`);
  return ["# TYPE desk_reads counter", ...lines, "# TYPE desk_entries gauge", `desk_entries ${cache.size}`, ""].join("\n");
}

const server = http.createServer((request, response) => {
  const sign = request.url.split("/").pop();
  if (request.url === "/metrics") response.end(metrics());
  else if (request.method === "PUT") response.end(JSON.stringify(traced("vessel.store", sign, store)));
  else response.end(JSON.stringify(traced("vessel.read", sign, read)));
});
server.listen(0, "127.0.0.1", () => console.log(server.address().port));

process.stdin.resume();
process.stdin.on("end", async () => {
  server.close();
  server.closeAllConnections();
  await provider.shutdown(); // sends what is left
});
