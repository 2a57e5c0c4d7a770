"""Settings for tests: a data folder of their own, tasks at once, static files as they lie."""

import atexit
import os
import shutil
import tempfile

os.environ["EMBERQUILT_HOME"] = tempfile.mkdtemp(prefix="emberquilt-test-")
atexit.register(shutil.rmtree, os.environ["EMBERQUILT_HOME"], ignore_errors=True)
os.environ.pop("EMBERQUILT_BIND", None)
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")

from workshop.settings import *  # noqa: E402, F403

STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = True
POLISH_ALONE = False
# what makes a password slow to guess makes tests slow too
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
LONG_WORK_AT_ONCE = True
# thousands of states are looked at once each; tests of its own keep some
KEEP_WORKED_OUT = False
# a file, not memory: the browser tests reach it from other threads, with real locks
if DATABASES["default"]["ENGINE"].endswith("sqlite3"):  # noqa: F405
    # no test cuts the power
    options = DATABASES["default"]["OPTIONS"]  # noqa: F405
    options["init_command"] = options["init_command"].replace("synchronous=FULL", "synchronous=OFF")
    DATABASES["default"]["TEST"] = {"NAME": HOME / "test.sqlite3"}  # noqa: F405
