"""Static files under names that hold a hash of their content, the imports between scripts included."""

import hashlib
from pathlib import Path

from django.conf import settings
from django.contrib.staticfiles.storage import ManifestStaticFilesStorage
from django.core.management import call_command

STAMP = ".gathered"


def gather() -> None:
    """Put all static files where they are served from, unless just these lie there."""
    files = sorted(path for folder in settings.STATICFILES_DIRS for path in Path(folder).rglob("*") if path.is_file())
    told = hashlib.sha256()
    for path in files:
        told.update(f"{path} {path.stat().st_size} {path.stat().st_mtime_ns}".encode())
    stamp = settings.STATIC_ROOT / STAMP
    if stamp.exists() and stamp.read_text() == told.hexdigest():
        return
    call_command("collectstatic", interactive=False, verbosity=0)
    stamp.write_text(told.hexdigest())


class HashedModules(ManifestStaticFilesStorage):
    support_js_module_import_aggregation = True
    manifest_strict = True
