"use strict";
// Grids: test pictures, and the wiring check by a person who stands before the wall.
const px = {open: false, picked: new Set(), timer: 0, asked: "", from: 0};

function drawPixels(told) {
  at("to-pixels").hidden = !told;
  if (!told) px.open = false;
  at("to-pixels").textContent = px.open ? "Roll call" : "Pixels";
  at("pixels").hidden = !px.open || !!state.focus;
  if (px.open) at("rollcall").hidden = true;
  if (!told) return;
  fill(at("p-grid"), told.grids.map(([id, name]) => [id, name]));
  const now = told.shown;
  at("p-tests").hidden = !!told.check;
  buttons(at("p-pictures"), told.pictures, words => now && now.grid === at("p-grid").value && now.picture === words,
    words => put({do: "picture_test", grid: at("p-grid").value, picture: words}));
  at("p-end").hidden = !now;
  at("p-said").textContent = now ? now.words : "";
  drawCheck(told.check);
}

function fill(select, options) {
  const held = select.value;
  if ([...select.options].map(o => o.value + o.textContent).join() === options.map(o => o.join("")).join()) return;
  select.replaceChildren(...options.map(([value, words]) => new Option(words, value)));
  if (options.some(([value]) => value === held)) select.value = held;
}

function buttons(box, names, pressed, run) {
  box.replaceChildren(...names.map(words => {
    const b = document.createElement("button");
    b.type = "button"; b.dataset.words = words; b.textContent = words[0].toUpperCase() + words.slice(1);
    b.setAttribute("aria-pressed", !!pressed(words));
    b.onclick = () => run(words);
    return b;
  }));
}

function drawCheck(check) {
  at("p-check").hidden = !check;
  clearInterval(px.timer);
  if (!check) return;
  const asking = !!check.asks;
  if (check.asks !== px.asked) { px.asked = check.asks; px.picked.clear(); }
  at("p-asks").textContent = asking ? check.asks : "";
  at("p-found").replaceChildren(...(check.found || []).map(words => { const p = document.createElement("p"); p.textContent = words; return p; }));
  at("p-asking").hidden = !asking;
  at("p-fix").hidden = asking || !check.fixes;
  at("p-wall").hidden = !asking;
  if (!asking) return;
  const [width, height] = check.size, began = Date.now();
  at("p-canvas").width = width; at("p-canvas").height = height;
  const show = () => paint(check, Math.floor((Date.now() - began) / 1000 / check.seconds) + check.step);
  show();
  if (check.steps.length > 1) px.timer = setInterval(show, 100);
  const svg = at("p-panels");
  svg.setAttribute("viewBox", [0, 0, width, height].join(" "));
  svg.replaceChildren(...check.panels.map(([unit, number, x, y, w, h]) => {
    const box = document.createElementNS("http://www.w3.org/2000/svg", "rect");
    for (const [name, value] of Object.entries({x, y, width: w, height: h, tabindex: 0, role: "button", "data-number": number})) box.setAttribute(name, value);
    box.setAttribute("aria-label", "Unit " + number + (check.marks[unit] ? ": " + check.marks[unit] : ""));
    box.setAttribute("aria-pressed", px.picked.has(unit));
    box.setAttribute("class", (check.marks[unit] ? "marked" : "") + (px.picked.has(unit) ? " picked" : ""));
    const turn = () => { if (!px.picked.delete(unit)) px.picked.add(unit); drawCheck(check); };
    box.onclick = turn;
    box.onkeydown = event => { if (event.key === " " || event.key === "Enter") { event.preventDefault(); turn(); } };
    return box;
  }));
  const marked = check.panels.filter(([unit]) => check.marks[unit]);
  at("p-marks").textContent = marked.map(([unit, number]) => number + " " + check.marks[unit]).join(", ");
  buttons(at("p-answers"), ["as on screen", ...check.answers], () => false, words => {
    put({do: "wiring_mark", asks: check.asks, units: [...px.picked], words: words === "as on screen" ? "" : words});
    px.picked.clear();
  });
  at("p-answers").querySelectorAll("button").forEach(b => b.disabled = !px.picked.size);
}

function paint(check, step) {
  const codes = atob(check.steps[step % check.steps.length]), [width, height] = check.size;
  const image = new ImageData(width, height);
  for (let i = 0; i < width * height; i++) {
    for (let c = 0; c < 3; c++) image.data[4 * i + c] = codes.charCodeAt(3 * i + c);
    image.data[4 * i + 3] = 255;
  }
  at("p-canvas").getContext("2d").putImageData(image, 0, 0);
}

at("to-pixels").onclick = () => { px.open = !px.open; draw(); };
at("p-end").onclick = () => put({do: "picture_test", end: true});
at("p-begin").onclick = () => put({do: "wiring_begin", grid: at("p-grid").value});
at("p-next").onclick = () => put({do: "wiring_next", asks: px.asked});
at("p-fix").onclick = () => put({do: "wiring_fix"});
at("p-stop").onclick = () => put({do: "wiring_end"});
