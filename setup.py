"""The compiled part, which needs a C compiler and may be missing: without one the installation goes on in pure Python."""

from setuptools import Extension, setup

_MODULES = ("addresses", "cells", "hashing", "names", "nesting", "overlaps", "packing", "pieces", "scan", "signs")

setup(
    ext_modules=[
        Extension(
            f"mardok._speed.{name}",
            [f"src/mardok/_speed/{name}.pyx"],
            depends=["src/mardok/_speed/characters.pxd"],
            extra_compile_args=["-O3"],
            optional=True,
        )
        for name in _MODULES
    ]
)
