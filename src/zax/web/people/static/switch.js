// Alt and a digit choose who is at the desk, so that the PIN can be typed at once.
document.addEventListener("keydown", (event) => {
  if (!event.altKey) return;
  const choice = document.querySelector(`[data-digit="${event.key}"]`);
  if (!choice) return;
  event.preventDefault();
  choice.checked = true;
  document.getElementById("pin").focus();
});
