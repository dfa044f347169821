"""The program ``mardok``: its commands, and how they end.

In:  the command line.
Out: the answer on standard output, all else on standard error, and an exit status: 0 done, 1 done with pages that could
     not be read, 2 wrong call or unusable input, 3 a recheck that found something undone, done otherwise or worse, 70 a
     defect, of which a report is left, 130 interrupted.
"""

from __future__ import annotations

import logging
import sys

import typer

from mardok.cli import audit, crawl, demo, draft, handoff, page, pages, pair, phrases, recheck, topic, versus
from mardok.cli.console import fail, fail_unexpectedly, hide_log, replace_what_cannot_be_shown, show_log
from mardok.errors import FolderError, MardokError

app = typer.Typer(
    name="mardok",
    help="Collects a site, audits its content, and says what to do, best first.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
app.command("demo")(demo.demo)
app.command("crawl")(crawl.crawl)
app.command("audit")(audit.audit)
app.command("page")(page.page)
app.command("pages")(pages.pages)
app.command("pair")(pair.pair)
app.command("phrases")(phrases.phrases)
app.command("handoff")(handoff.handoff)
app.command("recheck")(recheck.recheck)
app.command("topic")(topic.topic)
app.command("draft")(draft.draft)
app.command("versus")(versus.versus)


@app.callback(invoke_without_command=True)
def _options(
    version: bool = typer.Option(False, "--version", help="Show the version and leave."),
    verbose: bool = typer.Option(False, "--verbose", help="Say on standard error what is done otherwise than usual."),
) -> None:
    show_log(logging.INFO if verbose else logging.WARNING)
    if version:
        from importlib.metadata import version as installed

        from mardok.compiled import is_compiled

        print(f"mardok {installed('mardok')}{'' if is_compiled() else ', pure Python'}")
        raise typer.Exit


def run() -> None:
    """Run a command."""
    try:
        replace_what_cannot_be_shown()
        app()
    except MardokError as error:
        fail(error)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
    except OSError as error:
        fail(FolderError(f"{error.filename or 'the disk'}: {error.strerror or error}"))
    except Exception as error:  # noqa: BLE001 - a defect, or a machine in need; whoever meets it is not left with a traceback
        fail_unexpectedly(error)
    finally:
        hide_log()
