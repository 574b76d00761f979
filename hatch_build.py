"""Build hook: compile the kernels while the wheel is built, and ship what the compiler kept.

Numba stamps its cache with the content of the source file, so a cache made here is valid after
installation on the same kind of processor; elsewhere kernels compile on first use.
"""

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class CustomBuildHook(BuildHookInterface):
    def initialize(self, version, build_data):
        if version == "editable":
            return
        self._scratch = Path(tempfile.mkdtemp(prefix="oddseam-build-"))
        package = self._scratch / "oddseam"
        shutil.copytree(Path(self.root, "src", "oddseam"), package, ignore=shutil.ignore_patterns("__pycache__"))
        path = os.pathsep.join([str(self._scratch), *filter(None, [os.environ.get("PYTHONPATH")])])
        environment = {**os.environ, "PYTHONPATH": path, "NUMBA_CACHE_DIR": ""}
        command = [sys.executable, "-c", "from oddseam.warmup import warm_up; warm_up()"]
        subprocess.run(command, check=True, env=environment, cwd=self._scratch)
        for file in sorted(package.rglob("__pycache__/*.nb[ic]")):
            build_data["force_include"][str(file)] = str(file.relative_to(self._scratch))
        build_data["pure_python"] = False
        build_data["infer_tag"] = True

    def finalize(self, version, build_data, artifact_path):
        if hasattr(self, "_scratch"):
            shutil.rmtree(self._scratch, ignore_errors=True)
