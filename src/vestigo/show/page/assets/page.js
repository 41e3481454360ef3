// page.js: what every page does with a script: tables sort, charts are drawn in the page's colours, text is copied.
"use strict";

const UNITS = {
  "%": 1, B: 1, KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30, TiB: 2 ** 40,
  ns: 1e-9, "µs": 1e-6, ms: 1e-3, s: 1, min: 60, h: 3600, d: 86400,
};

// The number in a cell, in the base of its unit, or null if there is none.
function amountIn(text) {
  const found = /^([+-]?[\d,]*\.?\d+)\s*([^\d\s]*)/.exec(text.replace(/[\u2007\u2008\u00a0]/g, " ").trim());
  return found ? parseFloat(found[1].replace(/,/g, "")) * (UNITS[found[2]] ?? 1) : null;
}

function compareCells(one, other) {
  const [first, second] = [amountIn(one), amountIn(other)];
  if (first !== null && second !== null) return first - second;
  if (first !== null || second !== null) return first === null ? 1 : -1;
  return one.localeCompare(other);
}

function sortBy(table, column, isDescending) {
  const body = table.tBodies[0];
  const rows = [...body.rows].sort((one, other) => {
    const order = compareCells(one.cells[column].textContent, other.cells[column].textContent);
    return isDescending ? -order : order;
  });
  body.append(...rows);
  for (const head of table.tHead.rows[0].cells) head.removeAttribute("aria-sort");
  table.tHead.rows[0].cells[column].setAttribute("aria-sort", isDescending ? "descending" : "ascending");
}

function letSort(table) {
  if (!table.tHead || table.tBodies[0].rows.length < 3) return;
  [...table.tHead.rows[0].cells].forEach((head, column) => {
    if (!head.textContent.trim()) return;
    const button = document.createElement("button");
    button.type = "button";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => sortBy(table, column, head.getAttribute("aria-sort") !== "descending"));
  });
}

function letCopy(button) {
  const source = document.getElementById(button.dataset.copies);
  button.addEventListener("click", async () => {
    try {
      await navigator.clipboard.writeText(source.textContent);
    } catch {
      getSelection().selectAllChildren(source);
      document.execCommand("copy");
    }
    button.textContent = "Copied";
    setTimeout(() => { button.textContent = "Copy"; }, 2000);
  });
}

// Paints a chart. The tag of each of its models says which property has which role.
function paint(views) {
  const style = getComputedStyle(document.documentElement);
  for (const view of views) {
    for (const model of view.model.references()) {
      for (const tag of model.tags ?? []) {
        for (const [property, role] of tag instanceof Map ? tag : Object.entries(tag)) {
          model[property] = style.getPropertyValue(`--${role}`).trim();
        }
      }
    }
  }
}

// Lets a mark be chosen with a button that is held down, too. Bokeh takes that for no tap, and a busy page makes a short click a long one.
function letHold(view) {
  const choosable = view.model.toolbar.tools.filter((tool) => tool.type === "TapTool").flatMap((tool) => tool.renderers);
  if (!choosable.length) return;
  view.model.on_event("press", ({ sx, sy }) => {
    for (const renderer of choosable) {
      const hit = view.views.find_one(renderer)?.hit_test({ type: "point", sx, sy });
      renderer.data_source.selected.indices = hit?.indices ?? [];
    }
  });
}

// Draws charts in the places with their names, and returns their views by name.
async function drawCharts(charts) {
  const views = new Map();
  for (const [name, item] of Object.entries(charts)) {
    const place = document.getElementById(`chart-${name}`);
    if (place === null) continue;
    const drawn = await Bokeh.embed.embed_item(item, place);
    views.set(name, drawn.roots[0] ?? [...drawn][0]);
  }
  paint(views.values());
  [...views.values()].forEach(letHold);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => paint(views.values()));
  return views;
}

function dataOf(id) {
  return JSON.parse(document.getElementById(id).textContent);
}

function element(name, text, className = "") {
  const made = document.createElement(name);
  made.textContent = text;
  if (className) made.className = className;
  return made;
}

document.documentElement.classList.add("script");
document.querySelectorAll("table.sorts").forEach(letSort);
document.querySelectorAll("button[data-copies]").forEach(letCopy);

// On paper nothing can be opened, so all is.
addEventListener("beforeprint", () => {
  for (const folded of document.querySelectorAll("details")) folded.open = true;
});
