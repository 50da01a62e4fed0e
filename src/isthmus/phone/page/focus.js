"use strict";
// The pad is a joystick: how far it is pushed is how fast the point moves. It is told while it is held, and once more when it is released.
const BEAT = 60, KEYS = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]};
const pad = document.getElementById("pad"), knob = document.getElementById("knob");
let push = [0, 0], timer = null;

function drawFocus(told) {
  at("f-number").textContent = told.number;
  at("f-title").textContent = told.title;
  at("f-where").textContent = told.where;
  at("f-words").textContent = state.sending ? told.words : "Output is off at the computer. " + told.words;
}

const pressed = id => at(id).getAttribute("aria-pressed") === "true";

function tellPush() {
  const turn = pressed("facing") ? -1 : 1, part = pressed("slow") ? 0.35 : 1;
  send({do: "push", id: fresh(), when: Date.now(), x: push[0] * turn * part, y: push[1] * turn * part});
}

function hold(x, y) {
  const far = Math.hypot(x, y), most = Math.max(1, far);
  push = [x / most, y / most];
  const reach = pad.clientHeight / 2 - 46;
  knob.style.transform = `translate(${push[0] * reach}px, ${-push[1] * reach}px)`;
  pad.classList.add("held");
  if (timer === null) { tellPush(); timer = setInterval(tellPush, BEAT); }
}

function release() {
  if (timer === null) return;
  clearInterval(timer); timer = null;
  push = [0, 0];
  knob.style.transform = "";
  pad.classList.remove("held");
  tellPush();
}

const pushed = event => {
  const box = pad.getBoundingClientRect(), reach = box.height / 2 - 46;
  hold((event.clientX - box.x - box.width / 2) / reach, -(event.clientY - box.y - box.height / 2) / reach);
};
pad.onpointerdown = event => { pad.setPointerCapture(event.pointerId); pushed(event); };
pad.onpointermove = event => { if (pad.hasPointerCapture(event.pointerId)) pushed(event); };
pad.onpointerup = pad.onpointercancel = pad.onblur = release;
pad.onkeydown = event => { if (KEYS[event.key]) { event.preventDefault(); hold(...KEYS[event.key]); } };
pad.onkeyup = event => { if (KEYS[event.key]) release(); };
document.addEventListener("visibilitychange", release);
for (const id of ["slow", "facing"]) at(id).onclick = () => {
  at(id).setAttribute("aria-pressed", !pressed(id));
  const [up, down] = pressed("facing") ? ["audience", "upstage"] : ["upstage", "audience"];
  document.querySelector(".way.up").textContent = up;
  document.querySelector(".way.down").textContent = down;
};
document.querySelectorAll("[data-focus]").forEach(key => key.onclick = () => {
  if (state.focus) put({do: "focus", act: key.dataset.focus, unit: state.focus.unit, all: at("all").checked});
});
