"""The published formats: schemas of our files and of the API."""

import json
from pathlib import Path

from umweg.core.circuit.document import Circuit
from umweg.core.observe.job import Job
from umweg.web.app import create_app


def published() -> dict[str, str]:
    """File name to content of everything in ``docs/formats/``."""
    documents = {
        "umweg-circuit-1.schema.json": Circuit.model_json_schema(),
        "umweg-job-1.schema.json": Job.model_json_schema(),
        "openapi.json": create_app().openapi(),
    }
    return {
        name: json.dumps(document, indent=1, ensure_ascii=False, sort_keys=True) + "\n"
        for name, document in documents.items()
    }


def publish(folder: Path) -> None:
    """Write the published formats."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in published().items():
        (folder / name).write_text(text)
