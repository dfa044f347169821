#!/bin/sh
# Whether the compiled part can be built: there is a C compiler, and the headers of a Python. Usage: sh tools/can_compile.sh PYTHON
command -v cc > /dev/null && [ -f "$("$1" -c 'import sysconfig; print(sysconfig.get_path("include"))')/Python.h" ]
