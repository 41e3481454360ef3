// best.js: the settings that are best within limits. When a limit is turned, the rules of every look-up follow.
"use strict";

const HINT = "Turn a limit, and the rules of every look-up follow.";
const limits = {}; // their texts by key
const limitsHere = new Map();
let bestLine = []; // what is best within ever less memory, as far as it is known
let best = null; // the newest answer

const answers = { lose: () => { at("lost").hidden = false; }, wait: () => {} };
const askBest = makeAsker("best", () => ({ settings: limits, around: "" }), { ...answers, show: showBest });
const askLine = makeAsker("line", () => ({ settings: limits, around: "" }), { ...answers, show: showPoint });

function showLimits() {
  for (const knob of data.limits) {
    limits[knob.key] = data.limited[knob.key] ?? knob.none;
    const made = makeKnob(knob, `limit-${knob.key.replace("aim.", "")}`, (text) => turnLimit(knob, text), () => {});
    made.set(limits[knob.key], false);
    limitsHere.set(knob.key, made);
    at("limits").append(made.root);
  }
}

function turnLimit(knob, text) {
  limits[knob.key] = text || knob.none;
  limitsHere.get(knob.key).set(limits[knob.key], false);
  useBest();
  if (knob.key !== "aim.memory_peak") askLine(); // along the line, memory is what differs
}

function useBest() {
  turnedAt = performance.now();
  askBest();
}

function showBest(told) {
  if (told.kind !== "best") return showFinding(told);
  for (const knob of limitsHere.values()) knob.problem("");
  best = told;
  if (told.settings === null) return sayBest();
  const asRecorded = Object.entries(settings).filter(([key]) => key.startsWith("whatif."));
  return go({ ...Object.fromEntries(asRecorded), ...told.settings }, "best");
}

function showPoint(told) {
  if (told.kind !== "point") return showFinding(told);
  bestLine = [...bestLine.slice(0, told.number), told];
  if (told.number === 0) {
    at("use-best").disabled = false;
    sayBest();
  }
  return drawMeasured();
}

// Says how good the settings are, as long as they are those that were found.
function sayBest() {
  const isHere = best !== null && (best.settings === null || areSame(best.settings, rulesOf(settings)));
  at("best-said").textContent = isHere ? best.said : bestLine.length ? HINT : "";
}

// Settings without circumstances.
const rulesOf = (some) => Object.fromEntries(Object.entries(some).filter(([key]) => !key.startsWith("whatif.")));

// How far the search is, or why it cannot answer.
function showFinding(told) {
  const others = [];
  if (told.kind === "searching") others.push(`Looking for the best settings: ${told.done.toLocaleString("en")} tried so far.`);
  for (const { key, text } of told.problems ?? []) {
    if (limitsHere.has(key)) limitsHere.get(key).problem(text);
    else others.push(text);
  }
  if (others.length) at("best-said").textContent = others.join(" ");
}

// The line holds for the trace as it was recorded.
function drawBest() {
  const known = around.name === data.around.name ? bestLine.map(({ point }) => point) : [];
  setSource(views.get("front"), "best", marks(known));
}
