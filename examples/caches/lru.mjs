// A cache as many services have one: a Map in order of use, one for each node, with a lifetime since the load.
// Driven by: vestigo drive TRACE --command 'node lru.mjs MOST_ENTRIES LIFETIME_SECONDS'  (docs/drive.md)
// With 'node --expose-gc', it also says what it holds without garbage, so that the bytes of an entry can be told.
import { createInterface } from "node:readline";

const [most, lifetime] = process.argv.slice(2).map(Number);
let nowNs = 0;

class Cache {
  #entries = new Map();

  read(name, load) {
    const entry = this.#entries.get(name);
    if (entry !== undefined) {
      this.#entries.delete(name);
      if (nowNs < entry.deadline) {
        this.#entries.set(name, entry); // the last of the order: used most recently
        return entry.value;
      }
    }
    const value = load();
    if (value.null) return value; // nulls are not kept
    if (this.#entries.size >= most) this.#entries.delete(this.#entries.keys().next().value);
    this.#entries.set(name, { value, deadline: nowNs + lifetime * 1e9 });
    return value;
  }

  drop(name) {
    this.#entries.delete(name);
  }

  clear(lookup) {
    for (const name of [...this.#entries.keys()]) {
      if (lookup === undefined || name.startsWith(`${lookup}\0`)) this.#entries.delete(name);
    }
  }
}

const caches = new Map();
function cacheOf(node) {
  if (!caches.has(node)) caches.set(node, new Cache());
  return caches.get(node);
}

const methods = {
  begin: () => ({ batch: 500, weighs: "gc" in globalThis }),
  weigh() {
    globalThis.gc();
    return { bytes: process.memoryUsage().heapUsed };
  },
  read({ node, lookup, key, fresh, value, ...about }) {
    const name = `${lookup}\0${key}`;
    if (fresh) cacheOf(node).drop(name);
    const begun = process.hrtime.bigint();
    const given = cacheOf(node).read(name, () => ({ number: value, null: about.null === true }));
    const took = process.hrtime.bigint() - begun;
    return { value: given.number, taken: given.number === value, took_ns: Number(took) };
  },
  write: ({ node, lookup, key }) => cacheOf(node).drop(`${lookup}\0${key}`),
  remove: ({ node, lookup, key }) => cacheOf(node).drop(`${lookup}\0${key}`),
  clear: ({ node, lookup }) => (node ? [cacheOf(node)] : [...caches.values()]).forEach((one) => one.clear(lookup)),
  restart: ({ node }) => (node ? caches.delete(node) : caches.clear()),
  end: () => null,
};

function answer({ id, method, params }) {
  nowNs = params.at_ns ?? nowNs;
  return { jsonrpc: "2.0", id, result: methods[method](params) ?? null };
}

for await (const line of createInterface({ input: process.stdin })) {
  const message = JSON.parse(line);
  console.log(JSON.stringify(Array.isArray(message) ? message.map(answer) : answer(message)));
}
