// The screen forgets its person when nobody has touched it for a while; a touch says that somebody is there.
const seconds = Number(document.body.dataset.forgets);
let last = Date.now(), told = Date.now();

function touched() {
  last = Date.now();
  if (last - told < 15000) return;
  told = last;
  const csrf = document.querySelector("[name=csrf]");
  if (csrf) fetch("/tablet/touch", { method: "POST", body: new URLSearchParams({ csrf: csrf.value }) }).then((answer) => { if (answer.status === 410) location.replace("/tablet"); });
}

for (const name of ["pointerdown", "keydown", "input"]) document.addEventListener(name, touched, { passive: true });
if (seconds) setInterval(() => { if (Date.now() - last >= seconds * 1000) location.replace("/tablet"); }, 500);
// Going back shows nothing of who stood here before.
addEventListener("pageshow", (event) => { if (event.persisted) location.replace("/tablet"); });
