"""The program as one of the desktop's own: put down, validated, taken away; built, installed afresh and started."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import venv
import zipfile
from email import message_from_bytes
from pathlib import Path
from xml.etree import ElementTree

import pytest

from bibulon.cli.commands import app
from bibulon.linux.deb import build, system_packages
from bibulon.linux.install import _quoted

ROOT = Path(__file__).parent.parent


def run(*words: str | Path, **settings: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, **settings}
    return subprocess.run([str(word) for word in words], capture_output=True, text=True, check=False, env=environment)


def checked(program: str, *words: str | Path) -> None:
    """What the *program* finds, where it is present."""
    if shutil.which(program):
        done = run(program, *words)
        assert done.returncode == 0, done.stdout + done.stderr


def test_it_is_put_down_for_one_user_and_taken_away_again(tmp_path: Path) -> None:
    home = {"HOME": str(tmp_path), "XDG_DATA_HOME": str(tmp_path / "data")}
    kept = tmp_path / "data" / "applications" / "other.desktop"
    kept.parent.mkdir(parents=True)
    kept.write_text("[Desktop Entry]\n", encoding="utf-8")
    done = run(sys.executable, "-m", "bibulon.linux.install", "install", **home)
    assert done.returncode == 0, done.stderr
    data, command = tmp_path / "data", tmp_path / ".local/bin/bibulon"
    assert command.is_symlink() and run(command, "--version", **home).stdout.startswith("bibulon ")
    entry = (data / "applications/bibulon.desktop").read_text(encoding="utf-8")
    assert f"Exec={command} desk %f" in entry
    checked("desktop-file-validate", data / "applications/bibulon.desktop")
    checked("appstreamcli", "validate", "--no-net", data / "metainfo/example.bibulon.Bibulon.metainfo.xml")
    kinds = re.findall(r"MimeType=(.*);", entry)
    mime = ElementTree.parse(data / "mime/packages/bibulon.xml").getroot()
    assert [one.get("type") for one in mime] == kinds
    for name in re.findall(r"Icon=(.*)", entry), [kinds[0].replace("/", "-")]:
        assert list((data / "icons/hicolor/scalable").glob(f"*/{name[0]}.svg"))
    page = (data / "man/man1/bibulon.1").read_text(encoding="utf-8")
    for one in app.registered_commands:
        name = one.name or getattr(one.callback, "__name__", "")
        assert f"COMMAND {name.upper()}" in page
    if shutil.which("man"):
        told = run("man", "-l", "--warnings", data / "man/man1/bibulon.1", MANWIDTH="80")
        assert not told.stderr and "--scheduler" in told.stdout.replace("‐", "-")
    completed = run(command, COMP_WORDS="bibulon ch", COMP_CWORD="1", _BIBULON_COMPLETE="complete_bash", **home)
    assert completed.stdout.split() == ["check", "charge"]
    done = run(sys.executable, "-m", "bibulon.linux.install", "uninstall", **home)
    assert done.returncode == 0 and kept.exists() and not command.is_symlink()
    left = [path for path in data.rglob("*") if "bibulon" in path.name and path.is_file()]
    assert not left


def test_a_command_of_somebody_else_is_not_overwritten(tmp_path: Path) -> None:
    command = tmp_path / ".local/bin/bibulon"
    command.parent.mkdir(parents=True)
    command.write_text("mine", encoding="utf-8")
    home = {"HOME": str(tmp_path), "XDG_DATA_HOME": str(tmp_path / "data")}
    done = run(sys.executable, "-m", "bibulon.linux.install", "install", **home)
    assert done.returncode == 2 and "not a link of this program" in done.stderr
    assert command.read_text(encoding="utf-8") == "mine" and not (tmp_path / "data").exists()


@pytest.mark.parametrize(
    ("word", "quoted"),
    [("/home/a/bin/bibulon", "/home/a/bin/bibulon"), ("/home/a b/$x", '"/home/a b/\\\\$x"')],
)
def test_an_odd_home_is_quoted_in_the_menu_entry(word: str, quoted: str) -> None:
    assert _quoted(word) == quoted


def test_a_wheel_is_built_installed_afresh_and_started(tmp_path: Path) -> None:
    """In an environment of its own that has the packages of this one, but not this program's source."""
    source = tmp_path / "source"
    shutil.copytree(ROOT, source, ignore=shutil.ignore_patterns(".*", "build", "*.egg-info", "__pycache__", "docs"))
    (source / "docs").mkdir()
    words = ("wheel", "--quiet", "--no-deps", "--no-build-isolation", "--disable-pip-version-check")
    built = run(sys.executable, "-m", "pip", *words, "-w", tmp_path, source)
    assert built.returncode == 0, built.stderr
    (wheel,) = tmp_path.glob("bibulon-*.whl")
    with zipfile.ZipFile(wheel) as content:
        (about,) = [name for name in content.namelist() if name.endswith("METADATA")]
        needs = message_from_bytes(content.read(about)).get_all("Requires-Dist") or []
    (toolkit,) = [need for need in needs if need.lower().startswith("pyside6")]
    assert "<6.10" in toolkit, "newer ones lose references with this Python"
    fresh = tmp_path / "fresh"
    venv.create(fresh, with_pip=False)
    site = next(fresh.glob("lib/python*/site-packages"))
    packages = sysconfig.get_path("purelib")
    own = run(sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--target", site, wheel)
    assert own.returncode == 0, own.stderr
    # packages only: the .pth files there, which lead to this program's source, are not followed
    start = f"import sys; sys.path.append({packages!r}); from bibulon.cli import main; import bibulon; "
    where = run(fresh / "bin/python", "-c", start + "print(bibulon.__file__)").stdout.strip()
    assert Path(where).is_relative_to(fresh)
    program = "if __name__ == '__main__': sys.argv = ['bibulon', 'desk', '--demo']; main()"
    script = tmp_path / "start.py"
    script.write_text(f"{start}\n{program}\n", encoding="utf-8")
    home = {name: str(tmp_path / "home") for name in ("HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME")}
    environment = {**os.environ, **home}
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        environment.pop(name, None)
    done = subprocess.run(
        [fresh / "bin/python", script], cwd=tmp_path, env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "build/demo.png").stat().st_size > 50_000


@pytest.mark.skipif(shutil.which("dpkg-deb") is None, reason="Debian packages are built on Debian")
def test_a_debian_package_carries_the_program_and_starts_it(tmp_path: Path) -> None:
    """With this program alone as its Python packages; those that it needs are taken from here."""
    packages, source = tmp_path / "packages", tmp_path / "source"
    shutil.copytree(ROOT, source, ignore=shutil.ignore_patterns(".*", "build", "*.egg-info", "__pycache__", "docs"))
    words = (
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "--disable-pip-version-check",
        "--ignore-installed",
        "--prefix",
    )
    own = run(sys.executable, "-m", "pip", "install", *words, packages, source)
    assert own.returncode == 0, own.stderr
    needs = system_packages((ROOT / "bib").read_text(encoding="utf-8"))
    made = build(packages, needs, tmp_path)
    about = message_from_bytes(run("dpkg-deb", "--field", made).stdout.encode())
    assert about["Package"] == "bibulon" and "libegl1" in about["Depends"] and "python3 (<< 3." in about["Depends"]
    root = tmp_path / "root"
    assert run("dpkg-deb", "--extract", made, root).returncode == 0
    entry = (root / "usr/share/applications/bibulon.desktop").read_text(encoding="utf-8")
    assert "Exec=/usr/bin/bibulon " in entry
    names = {path.name for path in (root / "usr/share").rglob("*") if path.is_file()}
    assert {"bibulon.1", "bibulon.svg", "bibulon.xml", "example.bibulon.Bibulon.metainfo.xml"} <= names
    command = root / "usr/bin/bibulon"
    assert os.access(command, os.X_OK)
    script = command.read_text(encoding="utf-8")
    script = script.replace("/opt/bibulon", f"{root}/opt/bibulon")
    script = script.replace("site-packages ", f"site-packages:{sysconfig.get_path('purelib')} ")
    script = script.replace(f"exec python3.{sys.version_info.minor}", f"exec {sys.executable}")
    started = run("sh", "-c", script, "bibulon", "--version")
    assert started.returncode == 0 and started.stdout.startswith("bibulon "), started.stderr
