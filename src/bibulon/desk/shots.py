"""Draw the pictures of docs/screenshots from the demo job, unseen."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path


def main(folder: Path) -> None:
    """One PNG a station at 1280 × 800."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = home
        from bibulon.desk.shot_story import shoot_all  # after the folders are set aside

        shoot_all(folder)


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
