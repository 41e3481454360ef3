// explore.js: the settings of this tab and their history. They stand in the address, so that a link is enough to come back.
"use strict";

const data = dataOf("page-data");
const at = (id) => document.getElementById(id);
const SAME_MOVE_MS = 1000;

let settings = settingsInAddress();
let past = [];
let future = [];
let lastMove = { key: null, at: 0 };
let around = data.around;
let shown = null; // the newest answer
let turnedAt = null; // when the change that is being measured was made
const tried = []; // settings and where they stand in the front
let views = new Map();
let knobsHere = new Map();

function settingsInAddress() {
  return Object.fromEntries(new URLSearchParams(location.hash.slice(1)));
}

const asQuery = (some) => new URLSearchParams(some).toString();
const areSame = (some, others) => Object.keys({ ...some, ...others }).every((key) => some[key] === others[key]);
const inWords = (some) => Object.entries(some).map(([key, text]) => `${keyInWords(key)} = ${inFewWords(text)}`).join(", ") || "today's settings";

// A long list of values by its first one.
function inFewWords(text) {
  const values = text.replace(/^\[|\]$/g, "").split(", ");
  return values.length > 4 ? `${values.length} values from ${values[0]}` : text;
}

// A key in words, with the name of its look-up.
function keyInWords(key) {
  const dot = key.lastIndexOf(".");
  const place = data.places.find(([name]) => name === key.slice(0, dot));
  const [rule, label] = [key.slice(dot + 1), place?.[1] ?? ""];
  return place?.[0] === "rules" || !place ? rule : `${label.replace(/^look-up /, "")}: ${rule}`;
}

function todayOf(key) {
  const dot = key.lastIndexOf(".");
  return data.values[key.slice(0, dot)]?.[key.slice(dot + 1)];
}

// The current value of a rule at a place: its own change, a change for every look-up that reaches it, or today's value.
function valueOf(place, rule) {
  const own = settings[`${place}.${rule}`];
  if (own !== undefined) return own;
  const general = settings[`rules.${rule}`];
  if (general !== undefined && place.startsWith("lookup.") && !data.stated[place].includes(rule)) return general;
  return data.values[place][rule];
}

// --- changes

function go(next, key = null) {
  const isSameMove = key !== null && key === lastMove.key && performance.now() - lastMove.at < SAME_MOVE_MS;
  if (!isSameMove) past.push(settings);
  lastMove = { key, at: performance.now() };
  future = [];
  take(next);
}

function take(next) {
  settings = next;
  history.replaceState(null, "", `#${asQuery(settings)}`);
  showSettings();
  ask();
}

function turn(key, text) {
  turnedAt = performance.now();
  const next = { ...settings };
  if (text === todayOf(key) || text === "") delete next[key];
  else next[key] = text;
  go(next, key);
}

function step(from, to) {
  if (!from.length) return;
  to.push(settings);
  lastMove = { key: null, at: 0 };
  turnedAt = performance.now();
  take(from.pop());
}

// --- knobs

function showPlace() {
  const [place, , kind] = data.places[at("place").selectedIndex];
  knobsHere = new Map();
  const [first, others] = [data.knobs[kind].filter((knob) => knob.is_first), data.knobs[kind].filter((knob) => !knob.is_first)];
  at("rules").replaceChildren(...makeKnobs(place, first));
  at("other-rules").replaceChildren(...makeKnobs(place, others));
  at("others").classList.toggle("all", !first.length);
  at("others").open ||= !first.length;
  const lookup = place.replace(/^lookup\./, "");
  if (place !== lookup && data.lookups.some(([name]) => name === lookup)) {
    at("curve-of").value = lookup;
    if (views.size && shown !== null) showCurve();
  }
  showSettings();
}

// The knobs of a place, under the headings of their rules.
function makeKnobs(place, knobs) {
  const parts = [];
  let heading = null;
  for (const knob of knobs) {
    if (knob.heading !== heading) parts.push(element("h3", heading = knob.heading));
    const key = `${place}.${knob.rule}`;
    const made = makeKnob(knob, `knob-${knob.rule}`, (text) => turn(key, text), () => turn(key, todayOf(key)));
    knobsHere.set(key, made);
    parts.push(made.root);
  }
  return parts;
}

function showSettings() {
  for (const [key, made] of knobsHere) {
    const dot = key.lastIndexOf(".");
    made.set(valueOf(key.slice(0, dot), key.slice(dot + 1)), key in settings);
    made.problem("");
  }
  [...at("place").options].forEach((option, number) => {
    const changes = Object.keys(settings).filter((key) => key.slice(0, key.lastIndexOf(".")) === option.value).length;
    option.textContent = data.places[number][1] + (changes ? ` (${changes} changed)` : "");
  });
  const folded = at("other-rules").querySelectorAll(".knob.changed").length;
  at("others").firstElementChild.textContent = folded ? `More rules (${folded} changed)` : "More rules";
  at("problem").textContent = "";
  at("changes").textContent = Object.keys(settings).length ? `Changed: ${inWords(settings)}` : "Nothing is changed yet.";
  at("undo").disabled = !past.length;
  at("redo").disabled = !future.length;
  sayBest();
  at("check").href = `check?${asQuery(settings)}`;
  at("keys").href = `keys?${asQuery(settings)}`;
}

// --- what is measured

const ask = makeAsker("replay", () => ({ settings, around: around.name }), {
  show,
  lose: () => { at("lost").hidden = false; },
  wait: (isBusy) => at("numbers").setAttribute("aria-busy", isBusy),
});

function show(told) {
  at("lost").hidden = true;
  if (told.kind === "problem") return showProblems(told.problems);
  if (data.is_opening && told.kind !== "sample") return location.reload(); // all is there; the settings stand in the address
  if (told.beside) around.beside = told.beside;
  if (told.kind === "around") {
    around = told.around;
    showAll();
    return undefined;
  }
  const isSample = told.kind === "sample";
  if (!isSample) shown = told;
  at("state").className = isSample ? "state sample" : "state";
  at("state").textContent = isSample ? `from a sample of the keys, in ${told.took_ms} ms; the replay of all goes on`
    : `replayed in ${told.took_ms} ms, exact`;
  const of = isSample ? "" : at("of").value;
  drawNumbers(at("numbers"), data.measures, around.beside[of] ?? around.beside[""], told.numbers[of] ?? told.numbers[""]);
  showSummary(told.numbers[""]);
  noteDrawn(isSample ? "sample drawn" : "change drawn");
  if (isSample) return undefined;
  tried.push([...told.point, { ...settings }]);
  requestAnimationFrame(() => setTimeout(drawMeasured, 0));
  return undefined;
}

// The numbers that stay in sight while the charts are read.
function showSummary(numbers) {
  const known = data.summary.filter((row) => numbers[row][0]); // a sample does not tell all
  at("summary").replaceChildren(...known.map((row) => {
    const [text, more, better] = numbers[row];
    const said = element("span", `${data.measures[row]} ${text}`);
    if (more) said.append(" ", element("b", `(${more})`, better > 0 ? "better" : "worse"));
    return said;
  }));
}

// Measures the time from the input event to the numbers on the screen, on the browser's own timeline.
function noteDrawn(name) {
  const start = turnedAt;
  if (start === null) return;
  requestAnimationFrame(() => setTimeout(() => performance.measure(name, { start, end: performance.now() }), 0));
}

function showProblems(problems) {
  const others = [];
  for (const { key, text } of problems) {
    const knob = knobsHere.get(key);
    if (knob) knob.problem(text);
    else others.push(key ? `${key}: ${text}` : text);
  }
  at("problem").textContent = others.join(" ");
  at("state").className = "state";
  at("summary").replaceChildren(element("span", "Not replayed: these settings cannot be used.", "worse"));
  at("state").textContent = "not replayed: these settings cannot be used; the numbers still show the settings before";
}

function showAll() {
  if (shown === null) return;
  const of = at("of").value;
  drawNumbers(at("numbers"), data.measures, around.beside[of], shown.numbers[of]);
  drawMeasured();
}

function drawMeasured() {
  if (shown === null || !views.size) return;
  drawCauses(at("causes"), around.causes, shown.causes);
  at("rests").replaceChildren(...shown.rests.map((said) => element("li", said)));
  drawLines(views, "today", around.lines);
  drawLines(views, "now", shown.lines);
  const front = views.get("front");
  setSource(front, "tried", marks(tried));
  setSource(front, "kept", marks(kept.map((one) => one.point)));
  drawBest();
  setSource(front, "today", marks([around.point]));
  setSource(front, "now", marks([shown.point]));
  markSizes(front, [...data.known.map((one) => one.memory), ...bestLine.map(({ point }) => point[0]), ...[...tried, around.point, shown.point].map(([memory]) => memory)]);
  showCurve();
  document.documentElement.dataset.drawn = "true";
}

function showCurve() {
  const name = at("curve-of").value;
  const curve = around.curves[name];
  const [room, rate] = shown.rooms[name] ?? [null, 0];
  const largest = curve?.[0].at(-1) ?? 1;
  drawCurve(views.get("curve"), curve, [around.rooms[name][0] ?? largest, around.rooms[name][1]], [room ?? largest, rate]);
}

// --- the rest of the page

async function showPlan() {
  try {
    const told = await planOf(settings);
    if (told.kind === "problem") return showProblems(told.problems);
    at("plan-text").textContent = told.plan;
    at("download").href = URL.createObjectURL(new Blob([told.plan], { type: "application/toml" }));
    at("plan-dialog").showModal();
  } catch {
    at("lost").hidden = false;
  }
  return undefined;
}

function chooseFromFront(name, place) {
  const taken = { known: () => data.known[place].settings, kept: () => kept[place].settings, best: () => bestLine[place].settings, tried: () => tried[place][2] }[name]();
  const known = data.known.find((one) => areSame(one.settings, taken));
  at("pointed-at").textContent = `In use: ${known?.name ?? inWords(taken)}`;
  if (areSame(taken, settings)) return; // another mark of the same settings, at the same place
  turnedAt = performance.now();
  go({ ...taken });
}

function letChoose(view) {
  for (const renderer of view.model.renderers) {
    const source = renderer.data_source;
    if (!["known", "tried", "kept", "best"].includes(source.name)) continue;
    source.selected.properties.indices.change.connect(() => {
      if (!source.selected.indices.length) return;
      const place = source.get_column("number")[source.selected.indices[0]];
      source.selected.indices = [];
      chooseFromFront(source.name, place);
    });
  }
}

function fill(id, options) {
  at(id).replaceChildren(...options.map(([value, text]) => {
    const option = element("option", text);
    option.value = value;
    return option;
  }));
}

fill("place", data.places);
fill("of", data.lookups);
fill("curve-of", data.lookups.filter(([name]) => name));
at("place").addEventListener("change", showPlace);
at("of").addEventListener("change", showAll);
at("curve-of").addEventListener("change", showCurve);
for (const id of ["one", "other"]) at(id).addEventListener("change", compareTwo);
at("undo").addEventListener("click", () => step(past, future));
at("redo").addEventListener("click", () => step(future, past));
at("today").addEventListener("click", () => { turnedAt = performance.now(); go({}); });
at("use-best").addEventListener("click", useBest);
at("keep").addEventListener("click", keep);
at("plan").addEventListener("click", showPlan);
at("close-plan").addEventListener("click", () => at("plan-dialog").close());
at("link").addEventListener("click", async () => {
  await navigator.clipboard.writeText(location.href);
  at("link").textContent = "Copied";
  setTimeout(() => { at("link").textContent = "Copy link"; }, 2000);
});
addEventListener("hashchange", () => { past.push(settings); take(settingsInAddress()); });
addEventListener("keydown", (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z" || event.target.matches("input[type=text]")) return;
  event.preventDefault();
  if (event.shiftKey) step(future, past);
  else step(past, future);
});
document.querySelector("form.knobs").addEventListener("submit", (event) => event.preventDefault());

(async () => {
  showLimits();
  showPlace();
  saveKept();
  ask();
  views = await drawCharts(dataOf("charts"));
  if (!views.size) return; // the page is opening
  letChoose(views.get("front"));
  drawMeasured();
  askLine();
})();
