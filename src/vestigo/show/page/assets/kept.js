// kept.js: settings that are kept in this tab. They can be named, used again and compared.
"use strict";

const kept = JSON.parse(sessionStorage.getItem("kept") ?? "[]");

function keep() {
  if (shown === null) return;
  const numbers = shown.numbers[""].map(([text]) => text);
  kept.push({ name: `number ${kept.length + 1}`, settings: { ...settings }, point: shown.point, numbers });
  saveKept();
  at("kept").lastElementChild.querySelector("input").select();
}

function saveKept() {
  sessionStorage.setItem("kept", JSON.stringify(kept));
  at("none-kept").hidden = kept.length > 0;
  at("compare").hidden = kept.length === 0;
  at("kept").replaceChildren(...kept.map((one, place) => {
    const line = document.createElement("li");
    const name = textField(`kept-${place}`);
    name.value = one.name;
    name.setAttribute("aria-label", "name");
    name.addEventListener("change", () => { one.name = name.value; saveKept(); });
    const button = (text, act) => {
      const made = element("button", text, "plain");
      made.type = "button";
      made.addEventListener("click", act);
      return made;
    };
    const takeIt = button("Use", () => { turnedAt = performance.now(); go({ ...one.settings }); });
    const drop = button("Remove", () => { kept.splice(place, 1); saveKept(); });
    line.append(name, takeIt, drop, element("span", inWords(one.settings), "quiet"));
    return line;
  }));
  for (const id of ["one", "other"]) {
    const before = at(id).value;
    at(id).replaceChildren(...["today", "now", ...kept.map((_, place) => `${place}`)].map((value) => {
      const option = element("option", kept[value]?.name ?? value);
      option.value = value;
      return option;
    }));
    at(id).value = before || (id === "one" ? "today" : "now");
    if (at(id).selectedIndex < 0) at(id).selectedIndex = 0;
  }
  compareTwo();
  if (views.size) setSource(views.get("front"), "kept", marks(kept.map((one) => one.point)));
}

function numbersOf(which) {
  if (which === "today") return around.beside[""].today;
  if (which === "now") return shown.numbers[""].map(([text]) => text);
  return kept[which]?.numbers ?? [];
}

const settingsOf = (which) => (which === "today" ? {} : which === "now" ? settings : kept[which]?.settings ?? {});

function rowOf(label, ...texts) {
  const line = document.createElement("tr");
  const head = element("th", label);
  head.scope = "row";
  line.append(head, ...texts.map((text) => element("td", text)));
  return line;
}

function compareTwo() {
  if (shown === null) return;
  const both = [at("one"), at("other")];
  ["one-name", "other-name"].forEach((id, place) => { at(id).textContent = both[place].selectedOptions[0]?.textContent ?? ""; });
  const [one, other] = both.map((each) => numbersOf(each.value));
  at("compared").replaceChildren(...data.measures.map((label, row) => rowOf(label, one[row] ?? "", other[row] ?? "")));
  const [first, second] = both.map((each) => settingsOf(each.value));
  const keys = [...new Set([...Object.keys(first), ...Object.keys(second)])].filter((key) => first[key] !== second[key]);
  const rules = keys.map((key) => rowOf(keyInWords(key), ...[first, second].map((some) => some[key] ?? todayOf(key))));
  at("compared-rules").replaceChildren(...rules.length ? rules : [rowOf("rules", "the same", "the same")]);
}
