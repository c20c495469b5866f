#!/bin/sh
# Runs tests with the loops over pixels compiled so that reading or writing out of bounds, and whatever C leaves
# undefined, ends the run and says where.
# usage: sanitized.sh PYTHON KERNELS.C TESTS...
set -eu
python=$1 source=$2
shift 2
build=$(mktemp -d)
trap 'rm -rf "$build"' EXIT
"${CC:-gcc}" -shared -fPIC -O1 -g -fno-omit-frame-pointer -Wall -Wextra -Wno-unknown-pragmas \
    -fsanitize=address,undefined,float-cast-overflow -fno-sanitize-recover=all \
    "-I$("$python" -c 'import sysconfig; print(sysconfig.get_path("include"))')" \
    "$source" -o "$build/_kernels.so" -lm
# What the interpreter itself still holds at its end is no leak of ours.
CHRONOXIS_KERNELS=$build/_kernels.so ASAN_OPTIONS=detect_leaks=0 UBSAN_OPTIONS=print_stacktrace=1 \
    LD_PRELOAD="$("${CC:-gcc}" -print-file-name=libasan.so) $("${CC:-gcc}" -print-file-name=libstdc++.so.6)" \
    QT_QPA_PLATFORM=offscreen "$python" -m pytest -q -p no:cacheprovider --capture=sys "$@"  # what the sanitizers say is shown
