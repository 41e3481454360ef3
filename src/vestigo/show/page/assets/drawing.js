// drawing.js: puts what was measured into the page's tables and charts. Numbers come first, and charts follow in the next frame.
"use strict";

// Sets the columns of a chart's mark or line, by its name.
function setSource(view, name, columns) {
  for (const renderer of view.model.renderers) {
    if (renderer.name === name || renderer.data_source.name === name) renderer.data_source.data = columns;
  }
}

function drawNumbers(body, labels, beside, now) {
  labels.forEach((label, row) => {
    const line = body.rows[row] ?? body.insertRow();
    if (!line.cells.length) {
      const head = element("th", label);
      head.scope = "row";
      line.append(head);
      for (let column = 0; column < 4; column += 1) line.insertCell();
      line.cells[2].className = "now";
    }
    const [text, more, better] = now[row];
    [beside.today[row], text, more, beside.most[row]].forEach((said, column) => { line.cells[column + 1].textContent = said; });
    line.cells[3].className = better > 0 ? "better" : better < 0 ? "worse" : "";
  });
}

function drawCauses(body, today, now) {
  body.replaceChildren();
  today.forEach(([label, share, text], row) => {
    const [, nowShare, nowText] = now[row];
    if (!share && !nowShare) return;
    const line = body.insertRow();
    const head = element("th", label);
    head.scope = "row";
    const bars = document.createElement("td");
    for (const [width, kind] of [[share, "bar"], [nowShare, "bar pick"]]) {
      const bar = element("span", "", kind);
      bar.style.width = `${Math.max(width * 100, width ? 0.5 : 0)}%`;
      bars.append(bar);
    }
    line.append(head, bars, element("td", text, "number"), element("td", nowText, "number"));
  });
}

function drawLines(views, name, lines) {
  for (const chart of ["hits", "stale", "calls", "memory"]) {
    if (views.has(chart)) setSource(views.get(chart), name, { x: lines.x, y: lines[chart] });
  }
}

const marks = (points) => ({ x: points.map((one) => one[0]), y: points.map((one) => one[1]), number: points.map((_, place) => place) });

// Marks a logarithmic axis of sizes at round ones, about six of them.
function markSizes(view, sizes) {
  const [least, most] = [Math.max(Math.min(...sizes), 1), Math.max(...sizes, 2)].map(Math.log2);
  const step = Math.max(Math.ceil((most - least) / 6), 1);
  const ticks = [];
  for (let power = Math.floor(least); power <= Math.ceil(most) + 1; power += step) {
    ticks.push(2 ** power);
    if (most - least < 1.5) ticks.push(1.5 * 2 ** power);
  }
  const axis = view.model.below[0];
  axis.major_label_overrides = new Map(ticks.map((tick) => {
    const [unit, size] = SIZES.find(([, size]) => tick >= size) ?? SIZES[SIZES.length - 1];
    return [tick, `${tick / size} ${unit}`];
  }));
  axis.ticker.ticks = ticks;
}

function drawCurve(view, curve, limit, now) {
  setSource(view, "curve", { x: curve?.[0] ?? [], y: curve?.[1] ?? [] });
  setSource(view, "limit", { x: limit ? [limit[0]] : [], y: limit ? [limit[1]] : [] });
  setSource(view, "now", { x: now ? [now[0]] : [], y: now ? [now[1]] : [] });
  markSizes(view, [...(curve?.[0] ?? [1]), limit?.[0] ?? 1, now?.[0] ?? 1]);
}
