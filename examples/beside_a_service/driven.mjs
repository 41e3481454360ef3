// The same cache, driven by: vestigo drive RECORDING --command 'node driven.mjs MOST_ENTRIES'
import { createInterface } from "node:readline";
import { Cache } from "./cache.mjs";

const cache = new Cache(Number(process.argv[2]));

const methods = {
  begin: () => ({ batch: 200 }),
  read({ key, value }) {
    const held = cache.get(key);
    if (held === undefined) cache.set(key, value);
    return { value: held ?? value, taken: held === undefined };
  },
  write: ({ key }) => cache.drop(key),
};

function answer({ id, method, params }) {
  return { jsonrpc: "2.0", id, result: methods[method]?.(params) ?? null };
}

for await (const line of createInterface({ input: process.stdin })) {
  const message = JSON.parse(line);
  console.log(JSON.stringify(Array.isArray(message) ? message.map(answer) : answer(message)));
}
