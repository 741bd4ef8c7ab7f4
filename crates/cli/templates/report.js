"use strict";
// All text is set as text: no name, comment or definition can become markup.
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const ROW = 26;
  const SIGNS = { create: "+", change: "≠", remove: "−" };
  const CHANGES = ["create", "change", "remove"];
  const by = (id) => document.getElementById(id);
  const make = (name, attributes = {}, ...children) => {
    const element = document.createElement(name);
    for (const [key, value] of Object.entries(attributes)) {
      if (key.startsWith("on")) element.addEventListener(key.slice(2), value);
      else if (value !== undefined && value !== false) element.setAttribute(key, value === true ? "" : value);
    }
    element.append(...children.filter((child) => child !== null && child !== undefined));
    return element;
  };
  const objects = data.objects;
  objects.forEach((object, index) => {
    object.index = index;
    object.words = `${object.kind} ${object.name}`.toLowerCase();
  });

  // What is chosen and shown.
  const state = { search: "", hidden: new Set(), kind: "", group: "change", folded: new Set(), rows: [], chosen: null, current: 0 };

  function groupOf(object) {
    if (state.group === "kind") return object.kind;
    if (state.group === "schema") return object.schema || "no schema";
    return data.heads[object.change];
  }

  function isShown(object) {
    return !state.hidden.has(object.change) && (!state.kind || object.kind === state.kind) &&
      state.search.split(/\s+/).every((word) => object.words.includes(word));
  }

  function rebuild() {
    const groups = new Map();
    const shown = objects.filter(isShown);
    if (state.group === "change") CHANGES.forEach((change) => groups.set(data.heads[change], []));
    for (const object of shown) {
      const group = groupOf(object);
      if (!groups.has(group)) groups.set(group, []);
      groups.get(group).push(object);
    }
    state.rows = [];
    const names = [...groups.keys()].filter((name) => groups.get(name).length > 0);
    if (state.group !== "change") names.sort();
    names.forEach((name, at) => {
      const members = groups.get(name);
      const isFolded = state.folded.has(name);
      state.rows.push({ group: name, number: members.length, isFolded, size: names.length, place: at + 1 });
      if (!isFolded) members.forEach((object, place) => state.rows.push({ object, size: members.length, place: place + 1 }));
    });
    by("shown").textContent = `${shown.length} of ${objects.length} ${objects.length === 1 ? "object" : "objects"}`;
    const kept = state.rows.findIndex((row) => row.object && row.object === state.chosen);
    state.current = kept >= 0 ? kept : Math.min(state.current, Math.max(0, state.rows.length - 1));
    by("filler").style.height = `${state.rows.length * ROW}px`;
    draw();
  }

  // Only the rows in sight are in the page.
  function draw() {
    const tree = by("tree");
    const first = Math.max(0, Math.floor(tree.scrollTop / ROW) - 5);
    const last = Math.min(state.rows.length, first + Math.ceil((tree.clientHeight || 400) / ROW) + 10);
    tree.querySelectorAll(".row").forEach((row) => row.remove());
    for (let at = first; at < last; at++) tree.append(rowElement(state.rows[at], at));
    const current = by(`row-${state.current}`);
    if (current) tree.setAttribute("aria-activedescendant", current.id);
    else tree.removeAttribute("aria-activedescendant");
  }

  function rowElement(row, at) {
    const attributes = {
      id: `row-${at}`, role: "treeitem", style: `top:${at * ROW}px`, "aria-setsize": row.size, "aria-posinset": row.place,
      "aria-selected": String(at === state.current), onclick: () => { state.current = at; row.object ? choose(row.object) : fold(row); },
    };
    if (row.object) {
      const { object } = row;
      return make("div", { ...attributes, class: "row", "aria-level": 2, title: `${object.kind} ${object.name}` },
        make("span", { class: `sign ${object.change}`, "aria-hidden": "true" }, SIGNS[object.change]),
        make("span", { class: "kind" }, `${object.kind} `), object.name,
        make("span", { class: "faint" }, state.group === "change" ? "" : ` – ${data.words[object.change]}`));
    }
    return make("div", { ...attributes, class: "row head", "aria-level": 1, "aria-expanded": String(!row.isFolded) },
      `${row.isFolded ? "▸" : "▾"} ${row.group} (${row.number})`);
  }

  function fold(row, isFolded = !row.isFolded) {
    if (isFolded) state.folded.add(row.group); else state.folded.delete(row.group);
    rebuild();
    state.current = state.rows.findIndex((other) => other.group === row.group);
    reveal();
  }

  function choose(object) {
    state.chosen = object;
    const at = state.rows.findIndex((row) => row.object === object);
    if (at >= 0) state.current = at;
    by("detail").replaceChildren(...details(object));
    by("detail").scrollTop = 0;
    reveal();
  }

  function reveal() {
    const tree = by("tree");
    const top = state.current * ROW;
    if (top < tree.scrollTop) tree.scrollTop = top;
    if (top + ROW > tree.scrollTop + tree.clientHeight) tree.scrollTop = top + ROW - tree.clientHeight;
    draw();
  }

  function pieces(line, name) {
    const cell = make("td", { class: name });
    if (line === null) return cell;
    for (const [differs, text] of line) cell.append(differs ? make("mark", {}, text) : text);
    if (!cell.textContent) cell.append(" ");
    return cell;
  }

  function lines(object) {
    const body = make("tbody");
    for (const [old, now] of object.lines) {
      const isSame = now === undefined;
      body.append(make("tr", {},
        pieces(old, isSame ? "same" : old ? "old" : ""),
        pieces(isSame ? old : now, isSame ? "same" : now ? "new" : "")));
    }
    return make("div", { class: "wide" }, make("table", { class: "lines text" },
      make("thead", {}, make("tr", {}, make("th", { scope: "col" }, data.sides[0]), make("th", { scope: "col" }, data.sides[1]))), body));
  }

  function properties(object) {
    const row = (one) => make("tr", {}, make("th", { scope: "row" }, one.name),
      make("td", { class: "text" }, one.have ?? "–"), make("td", { class: "text" }, one.want ?? "–"));
    return make("div", { class: "wide" }, make("table", {},
      make("thead", {}, make("tr", {}, ...["Property", data.sides[0], data.sides[1]].map((text) => make("th", { scope: "col" }, text)))),
      make("tbody", {}, ...object.properties.map(row))));
  }

  function copyButton(text) {
    const button = make("button", { type: "button", class: "copy" }, "Copy the script");
    button.addEventListener("click", async () => {
      let isDone = false;
      try { await navigator.clipboard.writeText(text); isDone = true; } catch { isDone = copyByHand(text); }
      button.textContent = isDone ? "Copied" : "Not copied: select it below";
    });
    return button;
  }

  // Where the page may not use the clipboard.
  function copyByHand(text) {
    const area = make("textarea", { style: "position:fixed;top:0;opacity:0" });
    area.value = text;
    document.body.append(area);
    area.select();
    const isDone = document.execCommand("copy");
    area.remove();
    return isDone;
  }

  function details(object, withButtons = true) {
    const parts = [make("h2", {}, make("span", { class: object.change }, `${SIGNS[object.change]} ${data.words[object.change]} `), `${object.kind} ${object.name}`)];
    if (object.formerly) parts.push(make("p", { class: "reason" }, `formerly ${object.formerly}`));
    for (const reason of object.included) parts.push(make("p", { class: "reason" }, reason));
    if (object.properties.length) parts.push(make("h3", {}, "Properties"), properties(object));
    if (object.lines.length) parts.push(make("h3", {}, "Definition"), lines(object));
    if (data.steps) {
      const steps = object.steps.map((number) => data.steps[number]);
      parts.push(make("h3", {}, "Script"));
      if (steps.length) parts.push(make("p", { class: "faint" }, "Without the guards of the script that `wevrun script` writes: to be read."));
      if (!steps.length) parts.push(make("p", { class: "faint" }, "No step of the script is about this object alone: another step includes it."));
      for (const step of steps) {
        parts.push(make("p", {}, `Step ${step.number}: ${step.title}`));
        step.risks.forEach((risk) => parts.push(make("p", { class: "risk" }, make("b", {}, risk.risk), ` on ${risk.object}: ${risk.explanation}`)));
        step.notes.forEach((note) => parts.push(make("p", { class: "reason" }, note)));
        parts.push(make("pre", {}, step.sql));
      }
      if (steps.length && withButtons) parts.push(copyButton(steps.map((step) => step.sql).join("\n")));
    }
    return parts;
  }

  function risks() {
    if (!data.risks.length) return;
    by("risks").hidden = false;
    for (const risk of data.risks) {
      const found = risk.index === null ? null : objects[risk.index];
      const words = `${risk.risk} on ${risk.object}`;
      by("risk-list").append(make("li", {},
        found ? make("button", { type: "button", onclick: () => choose(found) }, make("b", {}, words)) : make("b", {}, words),
        `: ${risk.explanation}`));
    }
  }

  function begin() {
    for (const [name, number] of data.counts) by("counts").append(make("li", {}, make("b", {}, String(number)), ` ${name}`));
    for (const change of CHANGES) {
      const box = make("input", { type: "checkbox", checked: true, value: change, onchange: (event) => {
        if (event.target.checked) state.hidden.delete(change); else state.hidden.add(change);
        rebuild();
      } });
      by("changes").append(make("label", {}, box, make("span", { class: change }, `${SIGNS[change]} ${data.words[change]}`)));
    }
    for (const kind of [...new Set(objects.map((object) => object.kind))].sort()) by("kind").append(make("option", { value: kind }, kind));
    by("search").addEventListener("input", (event) => { state.search = event.target.value.trim().toLowerCase(); by("tree").scrollTop = 0; rebuild(); });
    by("kind").addEventListener("change", (event) => { state.kind = event.target.value; rebuild(); });
    by("group").addEventListener("change", (event) => { state.group = event.target.value; state.folded.clear(); rebuild(); });
    by("filters").addEventListener("submit", (event) => event.preventDefault());
    by("tree").addEventListener("scroll", draw);
    addEventListener("resize", draw);
    by("tree").addEventListener("keydown", key);
    document.addEventListener("keydown", (event) => {
      if (event.key === "/" && !/^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName)) { event.preventDefault(); by("search").focus(); }
    });
    addEventListener("beforeprint", () => {
      by("printed").hidden = false;
      by("printed").replaceChildren(...objects.filter(isShown).map((object) => make("section", {}, ...details(object, false))));
    });
    addEventListener("afterprint", () => { by("printed").replaceChildren(); by("printed").hidden = true; });
    risks();
    rebuild();
    const first = state.rows.find((row) => row.object);
    if (first) choose(first.object);
    else by("detail").append(make("p", {}, `${data.verdict}.`));
  }

  function key(event) {
    const row = state.rows[state.current];
    const move = (to) => {
      state.current = Math.max(0, Math.min(state.rows.length - 1, to));
      const next = state.rows[state.current];
      if (next && next.object) choose(next.object); else reveal();
    };
    const page = Math.max(1, Math.floor(by("tree").clientHeight / ROW) - 1);
    const moves = { ArrowDown: 1, ArrowUp: -1, PageDown: page, PageUp: -page, Home: -Infinity, End: Infinity };
    if (event.key in moves) move(state.current + moves[event.key]);
    else if (event.key === "ArrowLeft" && row && row.object) move(state.rows.lastIndexOf(state.rows.slice(0, state.current).findLast((other) => other.group), state.current));
    else if (event.key === "ArrowLeft" && row) fold(row, true);
    else if (event.key === "ArrowRight" && row && row.group) fold(row, false);
    else if (event.key === "Enter" && row) { if (row.object) by("detail").focus(); else fold(row); }
    else return;
    event.preventDefault();
  }

  begin();
})();
