"""What the documents and the files for serving say is so."""

import re
from importlib import metadata
from pathlib import Path

import pytest
from django.core.management import get_commands
from packaging.markers import default_environment
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

from workshop import settings
from workshop.compositions.uploads import MOST_UPLOAD
from workshop.serving.processes import LARGEST_BODY

HERE = Path(__file__).parents[2]
NAMED = re.findall(r"`(tests/[\w/]+\.py)::(\w+)`", (HERE / "docs" / "security.md").read_text())


def test_the_table_of_security_names_many_tests():
    assert len(set(NAMED)) > 25


@pytest.mark.parametrize(("file", "name"), sorted(set(NAMED)))
def test_every_test_that_security_names_is_there(file, name):
    assert re.search(rf"^(    )?def {name}\(", (HERE / file).read_text(), re.M)


@pytest.mark.parametrize("unit", sorted((HERE / "serving").glob("*.service")))
def test_units_start_what_there_is(unit):
    program, *_ = re.search(r"^ExecStart=(.*)$", unit.read_text(), re.M).groups()
    assert re.search(r"manage.py (\w+)", program)[1] in get_commands()


def test_settings_named_for_serving_are_settings():
    known = set(re.findall(r"EMBERQUILT_[A-Z_]+", settings.__doc__))
    for path in (HERE / "serving" / "ember-quilt.env", HERE / "docs" / "serving.md", HERE / "README.md"):
        assert set(re.findall(r"EMBERQUILT_[A-Z_]+", path.read_text())) <= known, path.name
    # every setting that is read is told
    source = Path(settings.__file__).read_text()
    read = set(re.findall(r'"(EMBERQUILT_[A-Z_]+)"', source)) - {"EMBERQUILT_DEBUG"}
    assert read <= known


def test_the_server_before_it_lets_through_what_can_be_brought():
    text = (HERE / "serving" / "nginx.conf").read_text()
    most = int(re.search(r"client_max_body_size (\d+)m;", text)[1]) * 1_000_000
    assert MOST_UPLOAD < most <= LARGEST_BODY
    seconds = int(re.search(r"proxy_read_timeout (\d+)s;", text)[1])
    assert seconds > settings.LONGEST_PAGE_SECONDS


@pytest.mark.parametrize("python", ["3.11.0", "3.11.2", "3.11.14"])
@pytest.mark.parametrize("lock", ["requirements.lock", "requirements-dev.lock"])
def test_what_is_locked_is_whole_on_every_python_of_its_kind(lock, python):
    """Debian 12 has 3.11.2, for which some packages ask for more than for later ones."""
    locked = set(re.findall(r"^([a-z0-9][a-z0-9._-]*)==", (HERE / lock).read_text(), re.M))
    environment = default_environment() | {"python_full_version": python, "python_version": "3.11", "extra": ""}
    for name in locked:
        try:
            needs = metadata.requires(name) or []
        except metadata.PackageNotFoundError:
            continue  # for another kind of computer
        for need in map(Requirement, needs):
            if need.marker is None or need.marker.evaluate(environment):
                assert canonicalize_name(need.name) in locked, (name, need)
