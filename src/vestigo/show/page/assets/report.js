// report.js: makes the front interactive: the candidate that is pointed at, or chosen, is shown beside today's settings.
"use strict";

function showCandidate(place, data, number) {
  const one = data.candidates[number];
  const table = document.createElement("table");
  const head = table.createTHead().insertRow();
  for (const text of ["", "today", "here"]) {
    const cell = element("th", text);
    cell.scope = "col";
    head.append(cell);
  }
  const body = table.createTBody();
  data.measures.forEach((label, row) => {
    const line = body.insertRow();
    const name = element("th", label);
    name.scope = "row";
    const mark = { "1": " better", "-1": " worse" }[one.better[row]] ?? "";
    line.append(name, element("td", data.today[row]), element("td", one.amounts[row] + mark, mark.trim()));
  });
  place.replaceChildren(element("h3", one.name), element("pre", one.rules), table);
}

function answerOn(view, show) {
  let chosen = null;
  for (const renderer of view.model.renderers) {
    const source = renderer.data_source;
    if (!source.columns().includes("number")) continue;
    const numberAt = (place) => source.get_column("number")[place];
    source.inspect.connect(() => {
      if (source.inspected.indices.length && chosen === null) show(numberAt(source.inspected.indices[0]));
    });
    source.selected.properties.indices.change.connect(() => {
      chosen = source.selected.indices.length ? numberAt(source.selected.indices[0]) : null;
      if (chosen !== null) show(chosen);
    });
  }
}

(async () => {
  const data = dataOf("front-data");
  const place = document.getElementById("pointed-at");
  const show = (number) => showCandidate(place, data, number);
  for (const button of document.querySelectorAll("button[data-candidate]")) {
    button.addEventListener("click", () => { show(Number(button.dataset.candidate)); place.focus(); });
  }
  const views = await drawCharts(dataOf("charts"));
  if (views.has("front")) answerOn(views.get("front"), show);
  document.documentElement.dataset.drawn = "true";
})();
