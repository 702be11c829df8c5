"""The ready-made notes of the demo clinic: letters and words, and those that answer patients."""

READY_NOTES = (
    ("bal", "Asked about the balance, will pay by ___ ({me}, {today})"),
    ("conf", "Confirmed for {next} by phone, {me} {time}"),
    ("dep", "Deposit taken before the lab order, see receipt"),
    ("ins", "Checked coverage with the payer by phone {today}, spoke with ___, {me}"),
    ("late", "{first} called at {time}, running ___ minutes late"),
    ("lm", "Left a message at {phone} to call {clinic} back"),
    ("na", "No answer at {phone}, {time}"),
    ("post", "Post-op instructions given and understood, no questions"),
)
READY_ANSWERS = (
    ("call", "Hi {first}, could you give us a call? We’ll find a time that works. {clinic}"),
    ("got", "Thanks, {first}, we’ve made a note of it. {clinic}"),
    ("where", "Parking is behind the building, {first}. Come in by the door at the side. {clinic}"),
)
