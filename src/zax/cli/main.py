"""The command line: demo, run, serve, worker, standin, migrate, doctor, backup, restore, seed, import,
export, audit, x12.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from zax.logs import configure

# What writes a log; the other commands talk to a person.
SERVING = {"serve", "worker", "standin"}
app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)
x12 = typer.Typer(no_args_is_help=True, help="X12 files on the command line, without a database.")
app.add_typer(x12, name="x12")


give = typer.Typer(no_args_is_help=True, help="Give data out in open formats.")
check = typer.Typer(no_args_is_help=True, help="Check what is kept against itself.")
app.add_typer(check, name="audit")
app.add_typer(give, name="export")
keys = typer.Typer(no_args_is_help=True, help="The keys beside the database.")
app.add_typer(keys, name="keys")


@app.callback()
def main(context: typer.Context) -> None:
    """Zax, for the front desk of a clinic."""
    configure(people=context.invoked_subcommand not in SERVING)


@app.command("import")
def import_list(
    what: Annotated[
        str,
        typer.Argument(
            help="services, payers, plans, providers, doctors, patients, balances, visits, documents, archive"
        ),
    ],
    file: Annotated[
        Path,
        typer.Argument(
            help="CSV with a heading; for patients also vCards or FHIR R4, for visits a calendar (.ics), for"
            " documents a folder or zip with an index.csv"
        ),
    ],
    dry: Annotated[bool, typer.Option("--dry", help="say what would happen, keep nothing")] = False,
    refused: Annotated[Path, typer.Option(help="where the refused rows go")] = Path("refused.csv"),
) -> None:
    """Bring in a list with a progress bar; columns are matched by their headings. Exit 1 when rows were
    refused.
    """
    from zax.cli.importing import import_archive, import_file

    raise typer.Exit(import_archive(file) if what == "archive" else import_file(what, file, dry, refused))


@give.command("everything")
def export_everything(
    file: Annotated[Path, typer.Argument(help="where to write the archive: NAME.zip")],
) -> None:
    """Write all the clinic has into one zip of open formats, with a manifest; an empty Zax can bring it
    in.
    """
    from zax.cli.importing import export_everything as write

    raise typer.Exit(write(file))


@give.command("patients")
def export_patients(
    file: Annotated[Path, typer.Argument(help="where to write: NAME.csv, NAME.vcf or NAME.json (FHIR R4)")],
) -> None:
    """Write every patient to a file; its ending says in which format."""
    from zax.cli.importing import export_file

    raise typer.Exit(export_file(file))


@give.command("claim-files")
def export_claim_files(
    folder: Annotated[Path, typer.Argument(help="where to write every kept X12 file, under its name")],
) -> None:
    """Write every X12 file that went out or came in, under its name."""
    from zax.cli.importing import export_x12

    raise typer.Exit(export_x12(folder))


@check.command("money")
def audit_money() -> None:
    """Recount every balance from the journal; exit 1 when anything does not agree."""
    from zax.cli import money as money_cli

    raise typer.Exit(money_cli.audit_money())


@keys.command("rotate")
def rotate_keys() -> None:
    """Sign and seal with new keys from now on, while Zax runs; exit 1 when that can't be."""
    from zax.cli import keys as keys_cli

    raise typer.Exit(keys_cli.rotate())


@check.command("log")
def audit_log() -> None:
    """Check that nothing of who did what and who looked was changed; exit 1 when something was."""
    from zax.cli import audit_log as log_cli

    raise typer.Exit(log_cli.audit_log())


@x12.command("read")
def x12_read(
    file: Annotated[Path, typer.Argument(help="an X12 file: 271, 835, 999, 837 and others")],
) -> None:
    """Print what a file holds as JSON; exit 1 when something is wrong with it."""
    from zax.core.x12.describe import describe

    try:
        text = file.read_bytes().decode("utf-8", errors="replace")
    except OSError as error:
        found = {"transactions": [], "problems": [f"{file} cannot be read: {error.strerror}."]}
    else:
        found = describe(text)
    typer.echo(json.dumps(found, indent=2, ensure_ascii=False))
    if found["problems"]:
        raise typer.Exit(1)


@app.command()
def demo(
    fresh: Annotated[bool, typer.Option("--fresh", help="throw the demo's data away and start over")] = False,
) -> None:
    """Everything on this machine: database, demo clinic, stand-in, worker, web. Ctrl-C stops it all."""
    from zax.demo.run import run_demo

    sys.exit(run_demo(fresh))


@app.command()
def run() -> None:
    """Zax for a clinic of your own: database, workers and web. Ctrl-C stops it all."""
    from zax.clinic_run import run_clinic

    sys.exit(run_clinic())


@app.command()
def doctor() -> None:
    """Look at the machine, the database, the keys, the backups and the doors, and say what is wrong."""
    from zax.cli.doctor import examine

    sys.exit(examine())


@app.command()
def backup() -> None:
    """A backup of the running clinic now: database, what is written since, files and keys, sealed."""
    from zax.cli.backup import backup_now

    sys.exit(backup_now())


@app.command()
def restore(
    folder: Annotated[Path, typer.Argument(help="the folder of the backups")],
    into: Annotated[Path, typer.Argument(help="an empty folder for the clinic")],
    key: Annotated[Path | None, typer.Option(help="the backup key; ZAX_VAR/backup-key when not said")] = None,
    until: Annotated[str, typer.Option(help="the second to go back to, in UTC: 2026-11-30 17:41:07")] = "",
) -> None:
    """Bring a clinic back from its backup, as it was at any second."""
    from zax.cli.backup import restore_into

    sys.exit(restore_into(folder, key, into, until))


@app.command()
def database() -> None:
    """The clinic's database alone, with the newest schema, until it is told to stop; for servers where each
    part is a service of its own (docs/deploy.md).
    """
    from zax.clinic_run import run_database

    sys.exit(run_database())


@app.command()
def serve() -> None:
    """The web application alone."""
    from zax.processes import serve_web

    serve_web()


@app.command()
def worker(
    lane: Annotated[str, typer.Option(help="everything, short or long (statements, imports)")] = "everything",
) -> None:
    """Carry out what waits in the outbox and fetch what insurers sent; any number may run."""
    from zax.desk.worker.tools import Lane
    from zax.notifying import alive
    from zax.processes import run_worker

    if lane not in set(Lane):
        raise typer.BadParameter("Choose everything, short or long.", param_hint="--lane")
    run_worker(alive, lane=Lane(lane))


@app.command()
def standin() -> None:
    """The simulated outside world: terminal, clearinghouse, mail."""
    from zax.processes import serve_standin

    serve_standin()


@app.command()
def migrate() -> None:
    """Bring the database to the newest schema."""
    from zax.processes import engine_of
    from zax.settings import Settings
    from zax.store.migrate import migrate as bring_up

    bring_up(engine_of(Settings()))
    typer.echo("The database has the newest schema.")


@app.command()
def upgrade() -> None:
    """Bring a clinic's data to this Zax while it is stopped: check, back up, migrate, or put back; exit 1
    when not.
    """
    from zax.cli.upgrade import upgrade_now

    raise typer.Exit(upgrade_now())


@app.command()
def seed(
    size: Annotated[
        str,
        typer.Option(help="demo, town (100,000 patients, 1,000,000 visits) or region (1,000,000 patients)"),
    ] = "demo",
) -> None:
    """Fill an empty database of its own with made-up data; ZAX_VAR says where, ZAX_DB_PORT on which port."""
    from zax.demo.run import seed_alone

    sys.exit(seed_alone(size))
