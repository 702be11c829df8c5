"""Whether Zax keeps its word while its parts die: `make torture` (docs/reliability.md).

Desks work as browsers do (`desks`) on people and visits laid out beforehand (`ground`) in a clinic whose
parts are struck down at random (`clinic`, `faults`). After each blow what the desks were told is held against
what is there (`judge`). A run can be had again by its seed, but for the moments of the machine.
"""
