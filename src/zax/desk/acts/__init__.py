"""The desk floor begins here. Everything people do is an *act*: one function, one transaction.

An act reads what it needs, lets the core decide, writes, and leaves traces, all in the same transaction:

    @act("payments")                                  # whose role lacks the right is refused
    def write_off(tx: Transaction, form: OffForm) -> int:
        ...                                           # read with tx.connection, decide in zax.core, write
        through zax.store
        tx.audit("money.write_off", patient_id=...)   # who did what
        tx.tell("money", patient_id=...)              # open screens look again
        tx.send("receipt_mail", key, {...})           # the outside is told later, once, by the worker

It is called as `write_off(desk, actor, form)`. An error of the core rolls everything back; a deadlock is
tried again, here and nowhere else.

    actor        who acts: a person, or the worker
    transaction  what an act works with: Desk, Transaction
    act          the decorator and the one place where anything is tried again
    errands      what is carried out later and outside a transaction
"""
