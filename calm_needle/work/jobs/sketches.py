"""A model sketched at the command line: the page's own form, its answer as a file."""

from collections.abc import Mapping

from calm_needle.store import db, shelf
from calm_needle.work.jobs.shelf import sketch_model


def sketched_file(fields: Mapping[str, str]) -> str:
    """Return the model's file. fields: as the page's form has them; how it is fed counts as unknown where that is not said. Raises
    FieldsRefused, with a sentence for each field that cannot be taken.
    """
    conn = db.connect(db.IN_MEMORY)
    try:
        model = sketch_model(conn, {"safety_class": "unknown", **fields})
        row = shelf.model_by_key(conn, model.key)
        assert row is not None
        content = shelf.dossier_content(conn, row.dossier_id)
        assert content is not None
        return content if content.endswith("\n") else f"{content}\n"
    finally:
        conn.close()
