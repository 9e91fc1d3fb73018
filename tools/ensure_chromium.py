"""Install Debian's Chromium, with a font, when it is not there yet."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys

PACKAGES = ["chromium", "fonts-dejavu-core"]


def main() -> int:
    if shutil.which("chromium"):
        return 0
    if shutil.which("apt-get") is None:
        sys.stderr.write("The browser tests need Chromium: install it so that 'chromium' is on the PATH.\n")
        return 1
    as_root = [] if os.geteuid() == 0 else ["sudo"]
    apt = [*as_root, "apt-get", "-o", "DPkg::Lock::Timeout=300", "-qq"]
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    for command in (["update"], ["install", "--yes", "--no-install-recommends", *PACKAGES]):
        done = subprocess.run([*apt, *command], env=environment, check=False)
        if done.returncode:
            sys.stderr.write(f"Chromium could not be installed; do it by hand: apt-get install {' '.join(PACKAGES)}\n")
            return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
