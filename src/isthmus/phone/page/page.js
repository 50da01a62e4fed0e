"use strict";
// What is marked is put in line here first, and leaves the line only when the desk has said that it has it.
const at = id => document.getElementById(id);
let state = {}, socket = null, wait = 500, wrong = false;
let line = JSON.parse(localStorage.getItem("line") || "[]");
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
  socket.onopen = () => { wait = 500; at("join").hidden = true; at("call").hidden = false; say(); line.forEach(send); };
  socket.onmessage = event => hear(JSON.parse(event.data));
  socket.onclose = event => {
    socket = null;
    say();
    if (event.code === 4001) { at("state").textContent = "The desk has ended it."; }
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
    if (!told.well && told.words) at("said").textContent = told.words;
    say();
  } else if (told.kind === "state") {
    const changed = state.stop !== undefined && told.stop !== state.stop;
    state = told;
    if (changed) { wrong = false; if (navigator.vibrate) navigator.vibrate(60); document.body.dataset.changes = +(document.body.dataset.changes || 0) + 1; }
    draw();
  }
}

function say() {
  const on = socket && socket.readyState === 1;
  const held = line.length ? line.length + " kept here" : "";
  at("state").textContent = on ? (held ? "Sending, " + held : "Connected") : "No connection" + (held ? ": " + held : "");
  at("state").className = on ? "" : "off";
}

function draw() {
  const on = !!state.on;
  at("number").textContent = state.number || "";
  at("title").textContent = on ? state.title : "Nobody is called";
  at("where").textContent = on ? state.where : "The desk begins the roll call.";
  at("see").textContent = on ? state.see : "";
  at("said").textContent = on && state.verdict ? "So far: " + state.verdict : "";
  at("left").textContent = on ? state.left + " left" : "";
  document.querySelectorAll("main button").forEach(b => b.disabled = !on);
  at("ways").hidden = !wrong;
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

function mark(result, what = []) {
  if (!(state.units || []).length) return;
  put({do: "mark", units: state.units, result, what, note: at("note").value});
  at("note").value = "";
  wrong = false; at("ways").hidden = true;
}

document.querySelectorAll("[data-mark]").forEach(key => key.onclick = () => {
  if (key.dataset.mark !== "wrong") { mark(key.dataset.mark); return; }
  wrong = !wrong;
  at("ways").hidden = !wrong;
  at("ways").replaceChildren(...Object.entries(state.ways || {}).map(([way, words]) => {
    const b = document.createElement("button");
    b.type = "button"; b.textContent = words; b.dataset.way = way;
    b.onclick = () => mark("wrong", [way]);
    return b;
  }));
});
document.querySelectorAll("[data-step]").forEach(key => key.onclick = () => put({do: "step", by: +key.dataset.step}));
at("act").onclick = () => put({do: "act"});
at("picture").onchange = async event => {
  const file = event.target.files[0], unit = (state.units || [])[0];
  if (!file || !unit) return;
  try {
    const answer = await fetch("/picture?unit=" + encodeURIComponent(unit) + "&id=" + fresh(), {method: "POST", body: file});
    at("said").textContent = answer.ok ? "The picture is with the desk." : (await answer.json()).words;
  } catch { at("said").textContent = "No connection: take the picture again later."; }
  event.target.value = "";
};
at("join").onsubmit = join;
at("name").value = localStorage.getItem("name") || "";
at("code").value = location.hash.slice(1);
retry();
say();
document.body.dataset.ready = "yes";
