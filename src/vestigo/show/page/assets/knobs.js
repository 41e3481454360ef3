// knobs.js: a control for each rule. Amounts have a slider, which is logarithmic if they span many sizes, and a text field. The text counts.
"use strict";

const STEPS = 1000;
const SPANS = [["d", 86400e9], ["h", 3600e9], ["m", 60e9], ["s", 1e9], ["ms", 1e6], ["us", 1e3], ["ns", 1]];
const SIZES = [["GiB", 2 ** 30], ["MiB", 2 ** 20], ["KiB", 2 ** 10], ["B", 1]];

// Two or three digits are enough for a slider's text.
function rounded(amount) {
  if (amount < 100) return Math.max(Math.round(amount), 1);
  const scale = 10 ** (Math.floor(Math.log10(amount)) - 1);
  return Math.round(amount / scale) * scale;
}

function withUnit(amount, units) {
  const [unit, size] = units.find(([, size]) => amount >= size) ?? units[units.length - 1];
  return [Math.max(Math.round(amount / size), 1), unit];
}

// The text of a knob at a place of its slider.
function textAt(knob, place) {
  if (knob.none !== undefined && isAtNone(knob, place)) return knob.none;
  const share = knob.none === undefined ? place / STEPS : noneIsLeast(knob) ? (place - 1) / (STEPS - 1) : place / (STEPS - 1);
  if (knob.kind === "share") return `${Math.round(share * 100)}%`;
  const amount = Math.exp(Math.log(knob.least) + share * (Math.log(knob.most) - Math.log(knob.least)));
  if (knob.kind === "rare") return `${Number((amount * 100).toPrecision(2))}%`;
  if (knob.kind === "times") return `${Number(amount.toPrecision(2))}`;
  if (knob.kind === "count") return `${rounded(amount)}`;
  const [number, unit] = withUnit(amount, knob.kind === "size" ? SIZES : SPANS);
  return knob.kind === "size" ? `${number} ${unit}` : `${number}${unit}`;
}

const noneIsLeast = (knob) => /^0/.test(knob.none) || knob.none === "as recorded";
const isAtNone = (knob, place) => (noneIsLeast(knob) ? place <= 0 : place >= STEPS);

function amountOfText(knob, text) {
  const found = /^\s*([\d.]+)\s*(\S*)\s*$/.exec(text);
  if (!found) return null;
  const units = Object.fromEntries([...SPANS, ...SIZES]);
  return parseFloat(found[1]) * (found[2] === "%" ? 0.01 : units[found[2]] ?? 1);
}

// The place of a text on the slider.
function placeOf(knob, text) {
  const amount = text === knob.none ? null : amountOfText(knob, text);
  if (amount === null) return knob.none !== undefined && noneIsLeast(knob) ? 0 : STEPS;
  const share = knob.kind === "share" ? amount
    : (Math.log(Math.max(amount, knob.least)) - Math.log(knob.least)) / (Math.log(knob.most) - Math.log(knob.least));
  const within = Math.min(Math.max(share, 0), 1);
  if (knob.none === undefined) return Math.round(within * STEPS);
  return Math.round(within * (STEPS - 1)) + (noneIsLeast(knob) ? 1 : 0);
}

const HAS_SLIDER = new Set(["count", "size", "span", "share", "rare", "times"]);

// A knob: its elements, `set(text)`, and `problem(text)`. It calls `turned(text)` when it is turned, again and again
// while a slider is dragged.
function makeKnob(knob, id, turned, back) {
  const root = element("div", "", "knob");
  const line = element("div", "", "line");
  const label = element("label", knob.rule);
  const problem = element("p", "", "problem");
  const revert = element("button", "as today", "back");
  revert.type = "button";
  revert.setAttribute("aria-label", `${knob.rule} as today`);
  revert.addEventListener("click", back);
  problem.id = `${id}-problem`;
  problem.setAttribute("role", "alert");
  label.htmlFor = id;
  const control = CONTROLS[HAS_SLIDER.has(knob.kind) ? "slider" : knob.kind](knob, id, turned, root);
  line.append(label, revert, control.field);
  const says = element("p", knob.says, "says");
  says.id = `${id}-says`;
  control.field.setAttribute("aria-describedby", `${says.id} ${problem.id}`);
  root.append(line, ...(control.more ?? []), says, problem);
  return {
    root,
    set(text, isChanged) {
      control.set(text);
      root.classList.toggle("changed", isChanged);
      revert.hidden = !isChanged;
    },
    problem(text) { problem.textContent = text; },
  };
}

const CONTROLS = {
  slider(knob, id, turned) {
    const field = textField(id);
    const slider = document.createElement("input");
    Object.assign(slider, { type: "range", min: 0, max: STEPS });
    slider.setAttribute("aria-label", `${knob.rule}, slider`);
    slider.addEventListener("input", () => {
      field.value = textAt(knob, Number(slider.value));
      slider.setAttribute("aria-valuetext", field.value);
      turned(field.value);
    });
    field.addEventListener("change", () => turned(field.value.trim()));
    const set = (text) => {
      if (document.activeElement !== field || field.value.trim() === "") field.value = text;
      if (document.activeElement !== slider) slider.value = placeOf(knob, text);
      slider.setAttribute("aria-valuetext", text);
    };
    return { field, more: [slider], set };
  },
  choice(knob, id, turned) {
    const field = selectOf(id, knob.choices);
    field.addEventListener("change", () => turned(field.value));
    return { field, set: (text) => { field.value = text; } };
  },
  flag(knob, id, turned) {
    const field = document.createElement("input");
    Object.assign(field, { type: "checkbox", id });
    field.addEventListener("change", () => turned(String(field.checked)));
    return { field, set: (text) => { field.checked = text === "true"; } };
  },
  words(knob, id, turned, root) {
    root.classList.add("words");
    const field = textField(id);
    const list = document.createElement("datalist");
    list.id = `${id}-examples`;
    for (const example of knob.examples) list.append(element("option", example));
    field.setAttribute("list", list.id);
    field.placeholder = knob.examples.length ? `such as ${knob.examples[knob.examples.length - 1]}` : "";
    field.addEventListener("change", () => turned(field.value.trim()));
    return { field, more: [list], set: (text) => { if (document.activeElement !== field) field.value = text; } };
  },
  // A policy's name, and a field for each of its parameters.
  policy(knob, id, turned, root) {
    root.classList.add("words");
    const field = selectOf(id, Object.keys(knob.policies));
    const parameters = element("div", "");
    const said = () => {
      const given = [...parameters.querySelectorAll("input")].filter((one) => one.value.trim() && one.value !== one.dataset.usual);
      return [field.value, ...given.map((one) => `${one.name}=${one.value.trim()}`)].join(" ");
    };
    const show = (given) => {
      parameters.replaceChildren(...Object.entries(knob.policies[field.value] ?? {}).map(([name, usual]) => {
        const line = element("div", "", "line");
        const label = element("label", name);
        const own = textField(`${id}-${name}`);
        label.htmlFor = own.id;
        Object.assign(own, { name, value: given[name] ?? usual });
        own.dataset.usual = usual;
        own.addEventListener("change", () => turned(said()));
        line.append(label, own);
        return line;
      }));
    };
    field.addEventListener("change", () => { show({}); turned(said()); });
    const set = (text) => {
      const [name, ...given] = text.split(" ");
      if (text === said() || parameters.contains(document.activeElement)) return;
      field.value = name;
      show(Object.fromEntries(given.map((one) => one.split("="))));
    };
    return { field, more: [parameters], set };
  },
};

function textField(id) {
  const field = document.createElement("input");
  Object.assign(field, { type: "text", id, spellcheck: false });
  return field;
}

function selectOf(id, texts) {
  const field = document.createElement("select");
  field.id = id;
  for (const text of texts) field.append(element("option", text));
  return field;
}
