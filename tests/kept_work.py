"""Unsaved work as a sitting that has ended leaves it."""

import json

from wallum.document.autosave import RecoveryFile


def end_of(sitting):
    """Let a sitting have ended: the process that its file names is gone."""
    selected = json.loads(sitting.path.read_text())
    sitting.path.write_text(json.dumps({**selected, "started": "never"}))
    return sitting


def leave_work(project, file, edits=1):
    """Leave unsaved work behind; returns the file that holds it."""
    sitting = RecoveryFile(file)
    sitting.keep(project, edits)
    return end_of(sitting).path
