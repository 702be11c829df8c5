// A form that waited for its owner to sign in again goes on by itself.
document.getElementById("resend").requestSubmit();
