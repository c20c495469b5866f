#!/bin/sh
# Makes what can be handed out, below dist/: an sdist, a wheel for every Python from 3.11 on, and a .deb.
# Nothing is fetched for it.
# usage: package.sh BIN   (the folder with the environment's programs)
set -eu
bin=$1
rm -rf dist build
"$bin/mkdocs" build --quiet --strict
"$bin/uv" build --quiet --offline --no-build-isolation --python "$bin/python" --sdist --wheel --out-dir dist/plain
PATH="$bin:$PATH" "$bin/auditwheel" repair --plat "manylinux_2_28_$(uname -m)" --only-plat -w dist dist/plain/*.whl
mv dist/plain/*.tar.gz dist/
rm -rf dist/plain build
if command -v dpkg-deb >/dev/null; then
    PATH="$bin:$PATH" "$bin/python" packaging/deb.py dist/*.whl dist
else
    echo "There is no dpkg-deb here, so no .deb is made." >&2
fi
ls -l dist
