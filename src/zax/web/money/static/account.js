// What hangs together is lit together: a claim with its charges and payments, a payment with the lines it pays; by mouse and by focus.
const tokens = (el) => (el?.dataset.links || "").split(" ").filter(Boolean);

function light(from) {
  for (const el of document.querySelectorAll(".linked")) el.classList.remove("linked");
  const wanted = new Set(tokens(from));
  if (!wanted.size) return;
  const lit = [...document.querySelectorAll("[data-links]")].filter((el) => tokens(el).some((token) => wanted.has(token)));
  if (lit.length > 1) for (const el of lit) el.classList.add("linked");
}

for (const name of ["mouseover", "focusin"]) document.addEventListener(name, (event) => {
  const el = event.target.closest?.("[data-links]");
  if (el) light(el); else if (document.querySelector(".linked")) light(null);
});

// The amount that is explained is marked, so that the eye finds it again.
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.target.id !== "why" && event.detail.target?.id !== "why") return;
  for (const el of document.querySelectorAll("[data-account] .on")) el.classList.remove("on");
  event.detail.requestConfig?.elt?.classList.add("on");
});
