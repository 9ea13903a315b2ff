"""What tests of the command line share."""

from wallum.cli.main import main


def run(capsys, *arguments):
    """The status of a command, what it printed, and what it said of faults."""
    capsys.readouterr()
    try:
        status = main([str(argument) for argument in arguments])
    except SystemExit as end:
        status = end.code
    out = capsys.readouterr()
    return status, out.out, out.err
