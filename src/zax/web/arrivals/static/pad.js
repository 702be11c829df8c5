// The pad on which a form is signed: strokes as points in a field of 640 by 200, drawn as they come, sent as numbers.
const MOST = 2500;

function strokesOf(box) {
  try { return JSON.parse(box.querySelector("[name=strokes]").value || "[]"); } catch { return []; }
}

function draw(box, strokes) {
  const canvas = box.querySelector("canvas");
  const pen = canvas.getContext("2d");
  pen.clearRect(0, 0, canvas.width, canvas.height);
  pen.lineWidth = 3;
  pen.lineCap = pen.lineJoin = "round";
  pen.strokeStyle = getComputedStyle(canvas).color;
  for (const stroke of strokes) {
    pen.beginPath();
    stroke.forEach(([x, y], at) => (at ? pen.lineTo(x, y) : pen.moveTo(x, y)));
    if (stroke.length === 1) pen.lineTo(stroke[0][0] + 0.1, stroke[0][1]);
    pen.stroke();
  }
}

function keep(box, strokes) {
  box.querySelector("[name=strokes]").value = strokes.length ? JSON.stringify(strokes) : "";
  draw(box, strokes);
}

function pointIn(canvas, event) {
  const box = canvas.getBoundingClientRect();
  const x = Math.round(((event.clientX - box.left) / box.width) * canvas.width);
  const y = Math.round(((event.clientY - box.top) / box.height) * canvas.height);
  return [Math.min(canvas.width, Math.max(0, x)), Math.min(canvas.height, Math.max(0, y))];
}

let running = null;
document.addEventListener("pointerdown", (event) => {
  const canvas = event.target.closest?.("[data-pad] canvas");
  if (!canvas) return;
  event.preventDefault();
  canvas.setPointerCapture(event.pointerId);
  const box = canvas.closest("[data-pad]");
  running = { box, canvas, strokes: [...strokesOf(box), [pointIn(canvas, event)]] };
  draw(box, running.strokes);
});
document.addEventListener("pointermove", (event) => {
  if (!running) return;
  const stroke = running.strokes.at(-1);
  const [x, y] = pointIn(running.canvas, event);
  const [px, py] = stroke.at(-1);
  const total = running.strokes.reduce((sum, each) => sum + each.length, 0);
  if (Math.hypot(x - px, y - py) < 2 || total > MOST) return;
  stroke.push([x, y]);
  draw(running.box, running.strokes);
});
for (const end of ["pointerup", "pointercancel"]) {
  document.addEventListener(end, () => {
    if (!running) return;
    keep(running.box, running.strokes);
    running = null;
  });
}

// The typed name as strokes: its drawn letters are read back as short lines, row by row.
function writeName(box) {
  const canvas = box.querySelector("canvas");
  const name = box.querySelector("[name=signer]").value.trim();
  const sheet = Object.assign(document.createElement("canvas"), { width: canvas.width, height: canvas.height });
  const pen = sheet.getContext("2d", { willReadFrequently: true });
  let size = 84;
  do { size -= 4; pen.font = `italic ${size}px ${getComputedStyle(document.body).fontFamily}`; } while (pen.measureText(name).width > 580 && size > 16);
  pen.fillText(name, 30, 130);
  const seen = pen.getImageData(0, 0, sheet.width, sheet.height).data;
  const strokes = [];
  for (let y = 0; y < sheet.height; y += 2) {
    let from = -1;
    for (let x = 0; x <= sheet.width; x += 1) {
      const on = x < sheet.width && seen[(y * sheet.width + x) * 4 + 3] > 120;
      if (on && from < 0) from = x;
      if (!on && from >= 0) { strokes.push([[from, y], [Math.max(from, x - 1), y]]); from = -1; }
    }
  }
  keep(box, strokes);
}

document.addEventListener("click", (event) => {
  const box = event.target.closest?.("[data-pad]");
  if (!box) return;
  if (event.target.closest("[data-pad-clear]")) keep(box, []);
  if (event.target.closest("[data-pad-type]")) writeName(box);
});

function start() {
  for (const box of document.querySelectorAll("[data-pad]")) draw(box, strokesOf(box));
}
document.addEventListener("htmx:afterSettle", start);
document.addEventListener("DOMContentLoaded", start);
if (document.readyState !== "loading") start();
