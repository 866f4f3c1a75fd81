"""A revision as a file, or as a folder with a file for each document."""

from __future__ import annotations

import io
import zipfile
from pathlib import PurePosixPath

from caddrel.core.rulebook.edit.objects import document_of, objects_of
from caddrel.core.rulebook.source import Source
from caddrel.service.http.endpoints import Stream
from caddrel.service.problems import ServiceError
from caddrel.store.revisions import Revision


def export(revision: Revision, form: str) -> Stream:
    """Return a revision's documents to keep.

    Parameters
    ----------
    form
        ``file``: its one document as it was published, several written together as one. ``folder``: a ZIP.

    Raises
    ------
    ServiceError
        For another form.
    """
    name = f"rulebook-{revision.number}"
    if form == "file":
        return Stream("application/yaml", [_whole(revision).encode()], f"{name}.yaml")
    if form != "folder":
        raise ServiceError(400, "bad-parameter", "`form` is file or folder")
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as packed:
        for i, (document, text) in enumerate(_documents(revision)):
            # A document's name came from whoever published it: only its last part names a file here.
            packed.writestr(f"{name}/{PurePosixPath(document).name or f'{i}.yaml'}", text)
    return Stream("application/zip", [held.getvalue()], f"{name}.zip")


def _whole(revision: Revision) -> str:
    if len(revision.files) == 1:
        return revision.files[0][1]
    return document_of(objects_of([Source(name, text) for name, text in revision.files]))


def _documents(revision: Revision) -> list[tuple[str, str]]:
    """Return the documents of a folder: as they were published, or of one document a file for each section."""
    if len(revision.files) > 1:
        return list(revision.files)
    objects = objects_of([Source(name, text) for name, text in revision.files])
    sections = dict.fromkeys(path[0] for path in objects)
    parted = {section: document_of({p: t for p, t in objects.items() if p[0] == section}) for section in sections}
    # Which format it is, is said once.
    texts = [text if not i else text.removeprefix("caddrel: 1\n") for i, text in enumerate(parted.values())]
    return [(f"{section}.yaml", text) for section, text in zip(parted, texts, strict=True)]
