#!/bin/sh
# Sees to it that the loops over pixels can be compiled: a C compiler, and Python's own headers.
# usage: compiler.sh
set -u
there() {
    command -v "${CC:-cc}" >/dev/null || command -v gcc >/dev/null
}

there && exit 0
echo "A C compiler is needed, and there is none."
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y gcc libc6-dev python3-dev >/dev/null
    there && exit 0
fi
echo "Install one with:  sudo apt-get install gcc libc6-dev python3-dev" >&2
echo "(on other distributions, what holds gcc and Python's headers), then run make again." >&2
exit 1
