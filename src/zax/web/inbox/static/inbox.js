// The newest of what was said stands in sight.
function begin() {
  const talk = document.getElementById("talk");
  if (talk && talk.closest(".ib-s")) talk.scrollTop = talk.scrollHeight;
}

document.addEventListener("htmx:load", begin);
begin();

// A ready-made answer takes the place of what stands there, through the browser's own editing, so Ctrl+Z brings it back.
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-said]");
  if (!button) return;
  const field = document.getElementById(button.closest("[data-ready]").dataset.ready);
  field.focus();
  field.select();
  if (!document.execCommand("insertText", false, button.dataset.said)) field.value = button.dataset.said;
  field.dispatchEvent(new Event("input", { bubbles: true }));
});

// An address to copy is chosen whole.
document.addEventListener("focusin", (event) => {
  if (event.target.matches?.("[data-whole]")) event.target.select();
});
