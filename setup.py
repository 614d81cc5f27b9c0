"""Builds the wheel: the demo of the checkout goes into the package, of its clips the walk alone; the guide, too."""

from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

DEMO = Path(__file__).parent / "demo"
GUIDE = Path(__file__).parent / "docs" / "guide"
LEFT_OUT = {".mov", ".py"}  # clips and what made the pictures stay in the checkout
TAKEN = {"walk.mov"}  # the scene of the Bench


class BuildWithDemo(build_py):
    def run(self) -> None:
        super().run()
        if self.editable_mode:
            return
        for file in sorted(DEMO.rglob("*")):
            within = file.relative_to(DEMO)
            is_wanted = file.suffix not in LEFT_OUT or file.name in TAKEN
            if file.is_file() and is_wanted and within.parts[0] != "renderer":
                target = Path(self.build_lib) / "sfumato" / "demo" / within
                target.parent.mkdir(parents=True, exist_ok=True)
                self.copy_file(str(file), str(target))
        pages = Path(self.build_lib) / "sfumato" / "guide"
        pages.mkdir(parents=True, exist_ok=True)
        for file in sorted(GUIDE.iterdir()):
            self.copy_file(str(file), str(pages / file.name))


setup(cmdclass={"build_py": BuildWithDemo})
