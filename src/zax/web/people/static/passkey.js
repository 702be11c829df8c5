// A form that is sent with a passkey's answer: the server is asked for a question, the person's phone or computer answers it,
// and the form goes on its way with the answer. Where the browser knows no passkeys, such forms don't show.
const able = window.PublicKeyCredential?.parseRequestOptionsFromJSON && window.isSecureContext;
const CANCELED = "No passkey was used. Try again, or sign in with your password.";

async function question(form) {
  const fields = new URLSearchParams({ csrf: form.elements.csrf.value });
  const answer = await fetch(form.dataset.passkey, { method: "POST", body: fields });
  const asked = await answer.json();
  if (!answer.ok) throw new Error(asked.said);
  return asked;
}

async function answer(form) {
  const asked = await question(form);
  if (form.hasAttribute("data-adds")) {
    return navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(asked) });
  }
  return navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(asked) });
}

async function send(event) {
  const form = event.currentTarget;
  if (form.elements.answer.value) return;
  event.preventDefault();
  const said = form.querySelector("[data-said]");
  said.hidden = true;
  try {
    form.elements.answer.value = JSON.stringify((await answer(form)).toJSON());
    delete form.dataset.sent; // until now it was only asked about
    form.requestSubmit();
  } catch (trouble) {
    said.textContent = trouble instanceof DOMException || !trouble.message ? CANCELED : trouble.message;
    said.hidden = false;
  }
}

for (const form of able ? document.querySelectorAll("form[data-passkey]") : []) {
  form.hidden = false;
  form.addEventListener("submit", send);
}
