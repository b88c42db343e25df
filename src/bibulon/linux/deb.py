"""Build a Debian package that carries the program with all Python packages it needs.

    python -m bibulon.linux.deb [FOLDER]      from the source folder; ./bib deb does it

The packages lie in ``/opt/bibulon``, for the version of Python that builds it; command, menu entry, icons, file type
and manual page where every user finds them. Shared libraries come from Debian's own packages.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
from importlib.metadata import version
from pathlib import Path

from bibulon.linux.install import placed

PROGRAM = Path("opt/bibulon")
COMMAND = Path("usr/bin/bibulon")
SCRIPT = """\
#!/bin/sh
PYTHONPATH=/{program}/lib/python3.{minor}/site-packages PYTHONSAFEPATH=1 exec python3.{minor} -m bibulon "$@"
"""
CONTROL = """\
Package: bibulon
Version: {version}
Architecture: {architecture}
Maintainer: The Bibulon developers <bibulon@example.org>
Installed-Size: {size_kb}
Depends: {depends}
Section: science
Priority: optional
Description: plan and run vacuum infusion and light RTM
 Lays out dry fibre and core, routes feed and vacuum lines, leak-tests bags,
 sizes the resin charge, simulates the fill and follows flow and cure.
"""


def system_packages(setup_script: str) -> list[str]:
    """The Debian packages of the shared libraries that the text of the set-up script ``bib`` names."""
    listed = re.search(r"^libraries='(.*?)'", setup_script, re.MULTILINE | re.DOTALL)
    if listed is None:
        raise ValueError("the set-up script names no libraries")
    return sorted({pair.partition("=")[2] for pair in listed[1].split()})


def build(packages: Path, needs: list[str], folder: Path) -> Path:
    """Make the package file in *folder* out of the Python *packages* installed under a prefix of their own; its path.

    *needs* are the Debian packages it depends on beside Python. Raises OSError or subprocess.CalledProcessError.
    """
    architecture = subprocess.run(
        ["dpkg", "--print-architecture"], check=True, capture_output=True, text=True
    ).stdout.strip()
    minor = sys.version_info.minor
    with tempfile.TemporaryDirectory() as root_name:
        root = Path(root_name)
        shutil.copytree(packages, root / PROGRAM, ignore=shutil.ignore_patterns("__pycache__", "bin"))
        files = {COMMAND: SCRIPT.format(program=PROGRAM, minor=minor)}
        for path, content in placed(Path("/") / COMMAND, Path("usr/share")):
            files[path] = content
        for path, content in files.items():
            (root / path).parent.mkdir(parents=True, exist_ok=True)
            (root / path).write_text(content, encoding="utf-8")
        (root / COMMAND).chmod(0o755)
        size_kb = sum(path.stat().st_size for path in root.rglob("*") if path.is_file()) // 1024
        depends = [f"python3 (>= 3.{minor})", f"python3 (<< 3.{minor + 1})", *needs]
        control = root / "DEBIAN" / "control"
        control.parent.mkdir()
        control.write_text(
            CONTROL.format(
                version=version("bibulon"), architecture=architecture, size_kb=size_kb, depends=", ".join(depends)
            ),
            encoding="utf-8",
        )
        for path in (root, *root.rglob("*")):
            path.chmod(0o755 if path.is_dir() or path.stat().st_mode & 0o100 else 0o644)
        made = folder / f"bibulon_{version('bibulon')}_{architecture}.deb"
        subprocess.run(["dpkg-deb", "--root-owner-group", "-Zgzip", "--build", str(root), str(made)], check=True)
    return made


def main(words: list[str]) -> int:
    """Install the packages into a folder and build; the exit code."""
    folder = Path(words[0]) if words else Path.cwd()
    if shutil.which("dpkg-deb") is None:
        print("dpkg-deb is missing: a Debian package can be built on Debian or Ubuntu only.", file=sys.stderr)
        return 2
    with tempfile.TemporaryDirectory() as packages:
        pip = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--ignore-installed"]
        try:
            subprocess.run([*pip, "-c", "constraints.txt", "--prefix", packages, ".[desk]"], check=True)
            made = build(Path(packages), system_packages(Path("bib").read_text(encoding="utf-8")), folder)
        except (OSError, ValueError, subprocess.CalledProcessError) as error:
            print(f"The package could not be built: {error}.", file=sys.stderr)
            return 2
    print(f"built {made}; install it with: sudo apt install {made.resolve()}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
