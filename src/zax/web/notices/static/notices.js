// A place goes in where the cursor stands.
document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-place]");
  if (!button) return;
  const field = document.getElementById(button.closest("[data-places]").dataset.places);
  field.setRangeText(`{${button.dataset.place}}`, field.selectionStart, field.selectionEnd, "end");
  field.focus();
  field.dispatchEvent(new Event("input", { bubbles: true }));
});
