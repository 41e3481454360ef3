// asking.js: the page's requests to its server. A newer change gives up an older replay, but not one that is about to answer. So something is always shown
// while a slider is dragged.
"use strict";

const PATIENCE_MS = 400;
const TAB = [...crypto.getRandomValues(new Uint8Array(9))].map((byte) => byte.toString(36)).join("");

async function* linesOf(body) {
  const reader = body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    if (done) return;
    const parts = (rest + value).split("\n");
    rest = parts.pop();
    yield* parts;
  }
}

// Asks at an address of the server, with what `asked` returns. `show` is called with each answer (first a sample's, if the trace is long), `lose` if nobody
// answers, and `wait` with whether an answer is yet to come.
function makeAsker(address, asked, { show, lose, wait }) {
  let current = null;
  let isWaiting = false;

  async function ask() {
    wait(true);
    if (current !== null && !current.hasShown && performance.now() - current.begun < PATIENCE_MS) {
      if (!isWaiting) setTimeout(() => { if (isWaiting) ask(); }, PATIENCE_MS);
      isWaiting = true;
      return;
    }
    current?.abort.abort();
    isWaiting = false;
    const own = { abort: new AbortController(), begun: performance.now(), hasShown: false };
    current = own;
    try {
      const answer = await fetch(address, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ tab: TAB, ...asked() }),
        signal: own.abort.signal,
      });
      if (!answer.ok) throw new Error(`status ${answer.status}`);
      for await (const line of linesOf(answer.body)) {
        if (current !== own) return;
        show(JSON.parse(line));
        own.hasShown = true;
        if (isWaiting) break;
      }
    } catch (error) {
      if (error.name !== "AbortError" && current === own) lose();
    }
    if (current !== own) return;
    current = null;
    own.abort.abort();
    if (isWaiting) ask();
    else wait(false);
  }

  return ask;
}

async function planOf(settings) {
  const answer = await fetch("plan", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ tab: TAB, settings, around: "" }),
  });
  return answer.json();
}
