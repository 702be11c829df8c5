// Ready-made notes: in a field for a note the first letters of one bring it up below; Tab takes it, Escape lets it be.
const NOTES = "textarea:not([data-plain]), input[name=note], input[name=words], input[name=reason], input[name=done_words]";
const BLANK = "___";
const kept = new Map();
let box = null;

// What a page knows once it asked; a page about somebody else asks again.
function notesFor(field) {
  const patient = field.closest("[data-patient]")?.dataset.patient ?? "";
  if (!kept.has(patient)) {
    kept.set(patient, fetch(`/notes/ready?patient=${patient}`).then((answer) => (answer.ok ? answer.json() : [])).catch(() => { kept.delete(patient); return []; }));
  }
  return kept.get(patient);
}

const typedWord = (field) => field.value.slice(0, field.selectionStart).match(/(?:^|\s)([a-z0-9]{2,12})$/i)?.[1].toLowerCase() ?? "";

function close() {
  box?.remove();
  box = null;
}

function show(field, found) {
  close();
  box = document.createElement("div");
  box.className = "ready";
  box.setAttribute("role", "status");
  box.field = field;
  box.found = found;
  found.slice(0, 4).forEach(([letters, words], at) => {
    const row = document.createElement("p");
    const name = document.createElement("b");
    name.textContent = letters;
    row.append(name, ` ${words}`);
    if (at === 0) row.append(" ", Object.assign(document.createElement("kbd"), { textContent: "Tab" }));
    row.addEventListener("pointerdown", (event) => { event.preventDefault(); take(found[at]); });
    box.append(row);
  });
  const at = field.getBoundingClientRect();
  box.style.left = `${Math.min(at.left, innerWidth - 380)}px`;
  box.style.top = `${at.bottom + 2}px`;
  document.body.append(box);
  const below = box.getBoundingClientRect();
  if (below.bottom > innerHeight) box.style.top = `${Math.max(0, at.top - below.height - 2)}px`;
}

// Through the browser's own editing, so that Ctrl+Z takes it back; then the first blank is chosen to type over.
function take([, words]) {
  const field = box.field;
  const word = typedWord(field);
  const from = field.selectionStart - word.length;
  const room = field.maxLength > 0 ? field.maxLength - (field.value.length - word.length) : words.length;
  const said = words.slice(0, Math.max(0, room));
  field.focus();
  field.setSelectionRange(from, from + word.length);
  if (!document.execCommand("insertText", false, said)) field.setRangeText(said, from, from + word.length, "end");
  const blank = field.value.indexOf(BLANK, from);
  if (blank >= 0 && blank < from + said.length) field.setSelectionRange(blank, blank + BLANK.length);
  field.dispatchEvent(new Event("input", { bubbles: true }));
  close();
}

document.addEventListener("focusin", (event) => { if (event.target.matches?.(NOTES)) notesFor(event.target); });
document.addEventListener("input", async (event) => {
  const field = event.target;
  if (!field.matches?.(NOTES)) return;
  const word = typedWord(field);
  const found = word ? (await notesFor(field)).filter(([letters]) => letters.startsWith(word)) : [];
  if (word !== typedWord(field)) return;
  if (found.length && document.activeElement === field) show(field, found);
  else close();
});
document.addEventListener("keydown", (event) => {
  if (!box || event.target !== box.field || event.ctrlKey || event.altKey || event.metaKey) return;
  if (event.key === "Tab" && !event.shiftKey) take(box.found[0]);
  else if (event.key === "Escape") close();
  else return;
  event.preventDefault();
  event.stopPropagation();
}, true);
document.addEventListener("focusout", close);
