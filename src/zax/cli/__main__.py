"""`python -m zax.cli`."""

from zax.cli.main import app

app()
