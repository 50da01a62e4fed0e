"use strict";
// What is marked is put in line here first, and leaves the line only when the computer has said that it has it.
const at = id => document.getElementById(id);
let state = {}, socket = null, wait = 500, wrong = false, news = {words: "", until: 0};
let line = JSON.parse(localStorage.getItem("line") || "[]");
let pictures = null;  // a store of the phone's own, for those that wait
let wanted = new URLSearchParams(location.search).get("unit");  // of the label that was read
const keep = () => localStorage.setItem("line", JSON.stringify(line));
const fresh = () => (self.crypto && crypto.randomUUID) ? crypto.randomUUID() : Date.now() + "-" + Math.random().toString(36).slice(2);

async function join(event) {
  event.preventDefault();
  const answer = await fetch("/join", {method: "POST", body: JSON.stringify({code: at("code").value, name: at("name").value})});
  const told = await answer.json();
  if (!answer.ok) { at("refused").textContent = told.words; at("code").value = ""; return; }
  localStorage.setItem("name", told.name);
  history.replaceState(null, "", "/");
  connect();
}

function connect() {
  socket = new WebSocket("ws://" + location.host + "/ws");
  socket.onopen = () => { wait = 500; at("join").hidden = true; at("call").hidden = false; say(); line.forEach(send); deliver(); };
  socket.onmessage = event => hear(JSON.parse(event.data));
  socket.onclose = event => {
    socket = null;
    say();
    if (event.code === 4001) { at("state").textContent = "The computer has ended it."; }
    if (event.code === 4003) { out(); return; }
    setTimeout(retry, wait);
    wait = Math.min(8000, wait * 1.7);
  };
}

async function retry() {
  // a socket that is refused does not say why: ask whether the door is still open for us
  try {
    const answer = await fetch("/ws");
    if (answer.status === 401) { out(); return; }
  } catch { /* no network: go on trying */ }
  connect();
}

function out() { at("join").hidden = false; at("call").hidden = true; }

function send(op) {
  if (socket && socket.readyState === 1) socket.send(JSON.stringify({...op, ago: (Date.now() - op.when) / 1000}));
}

function put(op) {
  op = {...op, id: fresh(), when: Date.now()};
  line.push(op); keep(); send(op); say();
}

function hear(told) {
  if (told.kind === "done") {
    line = line.filter(op => op.id !== told.id); keep();
    if (!told.well && told.words) tell(told.words);
    else if (told.picture) tell("The picture has arrived.");
    say();
  } else if (told.kind === "state") {
    const unit = told => told.focus && told.focus.unit;
    const changed = (state.stop !== undefined && told.stop !== state.stop) || (state.focus && unit(told) !== unit(state));
    state = told;
    if (changed) { unfold(false); if (navigator.vibrate) navigator.vibrate(60); document.body.dataset.changes = +(document.body.dataset.changes || 0) + 1; }
    draw();
  }
}

function tell(words) {  // stands for a while, whatever the computer says meanwhile
  news = {words, until: Date.now() + 5000};
  at("said").textContent = words;
}

function say() {
  const on = socket && socket.readyState === 1, count = line.length + waiting;
  const held = count ? count + " kept here" : "";
  at("state").textContent = on ? (held ? "Sending, " + held : "Connected") : "No connection" + (held ? ": " + held : "");
  at("state").className = on ? "" : "off";
}

function draw() {
  const on = !!state.on;
  at("number").textContent = state.number || "";
  at("title").textContent = on ? state.title : "Roll call not started";
  at("where").textContent = on ? state.where : "Start here, or at the computer.";
  at("see").textContent = on ? state.see : state.sending ? "" : "Output is off at the computer.";
  at("see").className = state.sending ? "" : "off";
  at("said").textContent = Date.now() < news.until ? news.words : on && state.verdict ? "So far: " + state.verdict : "";
  at("left").textContent = on ? state.left + " left" : "";
  at("begin").hidden = on;
  at("focus").hidden = !state.focus;
  at("rollcall").hidden = !!state.focus;
  if (wanted && on) { put({do: "jump", number: wanted}); wanted = null; history.replaceState(null, "", "/"); }
  else if (wanted) at("where").textContent = "Start the call: it goes to unit " + wanted + ".";
  if (state.focus) drawFocus(state.focus);
  drawPixels(state.pixels);
  at("keys").hidden = !on;
  plan(); list();
}

function plan() {
  const svg = at("plan"), points = state.plan || [];
  svg.replaceChildren();
  if (!points.length) return;
  const xs = points.map(p => p[1]), ys = points.map(p => -p[2]), pad = 0.8;
  const [l, r, t, b] = [Math.min(...xs) - pad, Math.max(...xs) + pad, Math.min(...ys) - pad, Math.max(...ys) + pad];
  svg.setAttribute("viewBox", [l, t, r - l, b - t].join(" "));
  const size = Math.max(r - l, b - t) / 90;
  for (const [id, x, y, result] of points) {
    const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    const now = (state.units || []).includes(id);
    dot.setAttribute("cx", x); dot.setAttribute("cy", -y); dot.setAttribute("r", now ? 2.2 * size : size);
    dot.setAttribute("class", now ? "now" : result);
    if (now) dot.setAttribute("stroke-width", size * 0.7);
    svg.append(dot);
  }
}

function list() {
  at("list").replaceChildren(...(state.next || []).map(([id, number, name, verdict, now]) => {
    const row = document.createElement("li");
    const n = document.createElement("b"), words = document.createElement("div"), said = document.createElement("span");
    n.textContent = number; words.textContent = name; said.textContent = verdict;
    row.append(n, words, said);
    row.className = now ? "now" : "";
    row.onclick = () => put({do: "jump", unit: id});
    return row;
  }));
}

function mark(result, what = [], others = "", how = []) {
  if (!(state.units || []).length) return;
  put({do: "mark", units: state.units, slot: state.slot, result, what, how, others, note: at("note").value});
  at("note").value = "";
  unfold(false);
}

function unfold(now) {  // the ways of being wrong: chosen, any number of them, then Wrong once more
  wrong = now;
  const key = document.querySelector("[data-mark=wrong]");
  key.textContent = now ? "Wrong: send" : "Wrong";
  key.setAttribute("aria-expanded", now);
  at("wrong").hidden = !now;
  at("others").value = "";
  at("ways").replaceChildren(...Object.entries(now ? state.ways || {} : {}).map(([way, words]) => {
    const b = document.createElement("button");
    b.type = "button"; b.textContent = words; b.dataset.way = way; b.setAttribute("aria-pressed", "false");
    b.onclick = () => { flip(b); hows(way, b); };
    return b;
  }));
}

const flip = b => b.setAttribute("aria-pressed", b.getAttribute("aria-pressed") === "false");

function hows(way, key) {  // below a way that is chosen, how: nothing of it has to be said
  document.querySelectorAll(`#ways [data-of="${way}"]`).forEach(b => b.remove());
  if (key.getAttribute("aria-pressed") === "false") return;
  key.after(...((state.how || {})[way] || []).map(words => {
    const b = document.createElement("button");
    b.type = "button"; b.className = "how"; b.textContent = words; b.dataset.how = `${way} ${words}`;
    b.dataset.of = way; b.setAttribute("aria-pressed", "false");
    b.onclick = () => flip(b);
    return b;
  }));
}

const ticked = kind => [...document.querySelectorAll(`#ways [data-${kind}][aria-pressed=true]`)].map(b => b.dataset[kind]);
document.querySelectorAll("[data-mark]").forEach(key => key.onclick = () => {
  if (key.dataset.mark !== "wrong") mark(key.dataset.mark);
  else if (wrong) mark("wrong", ticked("way"), at("others").value, ticked("how"));
  else unfold(true);
});
document.querySelectorAll("[data-step]").forEach(key => key.onclick = () => put({do: "step", by: +key.dataset.step}));
at("act").onclick = () => put({do: "act"});
at("begin").onclick = () => put({do: "begin"});
at("jump").onsubmit = event => {
  event.preventDefault();
  if (at("wanted").value.trim()) put({do: "jump", number: at("wanted").value.trim()});
  at("wanted").value = "";
};

// Pictures are put in a store first as well, and leave it when the computer has taken them or refused them.
let waiting = 0, delivering = false;
const store = () => new Promise((well, ill) => {
  if (pictures) { well(pictures); return; }
  const asked = indexedDB.open("rollcall", 1);
  asked.onupgradeneeded = () => asked.result.createObjectStore("pictures", {keyPath: "id"});
  asked.onsuccess = () => { pictures = asked.result; well(pictures); };
  asked.onerror = () => ill(asked.error);
});
const within = async (mode, act) => {
  const base = await store();
  return new Promise((well, ill) => {
    const asked = act(base.transaction("pictures", mode).objectStore("pictures"));
    asked.onsuccess = () => well(asked.result);
    asked.onerror = () => ill(asked.error);
  });
};
async function deliver() {
  if (delivering) return;
  delivering = true;
  try {
    for (const one of await within("readonly", all => all.getAll())) {
      const answer = await fetch("/picture?unit=" + encodeURIComponent(one.unit) + "&id=" + one.id, {method: "POST", body: one.blob});
      if (answer.status === 401) break;
      if (!answer.ok) tell((await answer.json()).words);
      await within("readwrite", all => all.delete(one.id));
    }
  } catch { /* no network: what is in the store waits there */ }
  delivering = false;
  waiting = await within("readonly", all => all.count()).catch(() => 0);
  say();
}
at("picture").onchange = async event => {
  const file = event.target.files[0], unit = (state.units || [])[0];
  if (!file || !unit) return;
  const blob = new Blob([await file.arrayBuffer()], {type: file.type});  // the file itself may be gone later
  event.target.value = "";
  try {
    await within("readwrite", all => all.put({id: fresh(), unit, blob}));
  } catch { tell("This phone keeps no pictures: try it outside a private window."); return; }
  deliver();
};

function shade(day) {
  document.documentElement.classList.toggle("day", day);
  at("theme").textContent = day ? "Night" : "Day";
  localStorage.setItem("day", day ? "yes" : "");
}
at("theme").onclick = () => shade(!document.documentElement.classList.contains("day"));
shade(!!localStorage.getItem("day"));
at("join").onsubmit = join;
at("name").value = localStorage.getItem("name") || "";
at("code").value = location.hash.slice(1);
retry();
say();
document.body.dataset.ready = "yes";
