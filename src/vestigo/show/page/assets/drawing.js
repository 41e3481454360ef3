// drawing.js: puts what was measured into the page's tables and charts. Numbers come first, and charts follow in the next frame.
"use strict";

const LABEL_PIXELS = 85; // Steps are rounded, so labels may stand half as close again.

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

// Round sizes from `least` to `most` and a little beyond, about as many as wanted: powers of two, or equal steps where these are too far apart.
function roundSizes(least, most, wanted = 6) {
  const octaves = Math.log2(most / least);
  const ticks = [];
  if (octaves >= 1) {
    const step = Math.max(Math.round(octaves / wanted), 1);
    for (let power = Math.floor(Math.log2(least)); power <= Math.ceil(Math.log2(most)) + 1; power += step) {
      ticks.push(2 ** power);
      if (octaves < 2) ticks.push(1.5 * 2 ** power);
    }
    return ticks;
  }
  const [, unit] = SIZES.find(([, size]) => most >= size) ?? SIZES[SIZES.length - 1];
  const apart = Math.max(most - least, most / 20) / unit / 3;
  const magnitude = 10 ** Math.floor(Math.log10(apart));
  const step = Math.max([1, 2, 5, 10].find((one) => one * magnitude >= apart * 0.7) * magnitude, 1 / unit);
  for (let place = Math.floor(least / unit / step); (place - 1) * step * unit <= most; place += 1) ticks.push(Number((place * step).toPrecision(12)) * unit);
  return ticks;
}

// Marks a logarithmic axis of sizes at round ones, as many as there is room for.
function markSizes(view, sizes) {
  const wanted = Math.min(Math.max(Math.floor(view.frame.bbox.width / LABEL_PIXELS), 3), 6);
  const ticks = roundSizes(Math.max(Math.min(...sizes), 1), Math.max(...sizes, 2), wanted);
  const axis = view.model.below[0];
  axis.major_label_overrides = new Map(ticks.map((tick) => {
    const [unit, size] = SIZES.find(([, size]) => tick >= size) ?? SIZES[SIZES.length - 1];
    return [tick, `${Number((tick / size).toPrecision(6))} ${unit}`];
  }));
  axis.ticker.ticks = ticks;
}

function drawCurve(view, curve, limit, now) {
  setSource(view, "curve", { x: curve?.[0] ?? [], y: curve?.[1] ?? [] });
  setSource(view, "limit", { x: limit ? [limit[0]] : [], y: limit ? [limit[1]] : [] });
  setSource(view, "now", { x: now ? [now[0]] : [], y: now ? [now[1]] : [] });
  markSizes(view, [...(curve?.[0] ?? [1]), limit?.[0] ?? 1, now?.[0] ?? 1]);
}
