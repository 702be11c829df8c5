// A desk that nobody touches is covered after a while, in every tab, and what was typed on it stays. The server holds the
// session meanwhile: a new tab shows nothing either. Whoever is back types their PIN or password, and goes on where they were.
const channel = new BroadcastChannel("zax-lock");
let touched = Date.now();

const box = () => document.getElementById("lockbox");
const person = () => box()?.dataset.person;
const token = () => document.querySelector('#lockbox input[name="csrf"]').value;

function send(path, fields) {
  return fetch(path, { method: "POST", headers: { "X-Lock": "1" }, body: new URLSearchParams({ csrf: token(), ...fields }), redirect: "manual" });
}

function cover() {
  const dialog = box();
  if (!dialog || dialog.open) return;
  dialog.showModal();
  document.documentElement.classList.add("covered");
  dialog.querySelector('input[name="pin"]').focus();
}

function uncover() {
  const dialog = box();
  document.documentElement.classList.remove("covered");
  if (!dialog || !dialog.open) return;
  dialog.querySelector('input[name="pin"]').value = "";
  say("");
  dialog.close();
  touched = Date.now();
}

function say(words) {
  const line = document.getElementById("err-lock");
  line.textContent = words;
  line.hidden = !words;
}

async function lock() {
  cover();
  channel.postMessage("lock");
  await send("/lock", {}).catch(() => null);
}

async function unlock(form) {
  const pin = form.querySelector('input[name="pin"]');
  const answer = await send("/unlock", { pin: pin.value }).catch(() => null);
  if (answer && answer.status === 204) {
    channel.postMessage(`unlock ${person()}`);
    uncover();
    return;
  }
  delete form.dataset.sent; // answered: the next try need not wait (shell/forms.js)
  pin.value = "";
  pin.focus();
  if (!answer) return say("Zax isn’t answering. Try again in a moment.");
  const told = (answer.headers.get("content-type") ?? "").includes("json") ? await answer.json() : null;
  say(told ? told.problem : "Your session ended. Sign in in another tab; this page stays as it is.");
}

const touch = () => {
  if (Date.now() - touched < 5000) return;
  touched = Date.now();
  channel.postMessage("touch");
};
for (const kind of ["pointerdown", "keydown", "wheel"]) addEventListener(kind, touch, { passive: true, capture: true });

// No key reaches the page below: what it would do, nobody is there to want.
addEventListener("keydown", (event) => {
  if (!box()?.open) return;
  event.stopImmediatePropagation();
  if (event.key === "Escape") event.preventDefault();
}, true);

channel.addEventListener("message", ({ data }) => {
  if (data === "touch") touched = Date.now();
  if (data === "lock") cover();
  if (data === `unlock ${person()}`) uncover();
});
document.addEventListener("zax-locked", cover);
// A browser may close it all the same, asked to by Escape or a gesture: it is there again at once.
document.addEventListener("close", (event) => {
  if (event.target === box() && document.documentElement.classList.contains("covered")) cover();
}, true);
document.addEventListener("submit", (event) => {
  if (event.target.id === "lockform") {
    event.preventDefault();
    unlock(event.target);
  }
}, true);

setInterval(() => {
  const minutes = Number(box()?.dataset.minutes ?? 0);
  if (minutes && !box().open && Date.now() - touched > minutes * 60000) lock();
}, 1000);
// Somebody was let in through another tab: it says so as soon as it shows a page again. A page of somebody else’s stays covered.
if (box()) channel.postMessage(`unlock ${person()}`);
