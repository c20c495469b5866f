#!/bin/sh
# Sees to it that Qt's own shared libraries can load. Wheels bring Qt; the distribution brings these.
# usage: system-libraries.sh PYTHON
set -u
python=$1
packages="libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libfreetype6 libglib2.0-0
 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0
 libxcb-xinerama0 libxcb-xkb1 libpulse0"

missing() {
    "$python" - <<'PY'
import pathlib, subprocess, PySide6
root = pathlib.Path(PySide6.__file__).parent
files = [*root.glob("Qt[CGWMS]*.abi3.so"), *root.glob("Qt/plugins/platforms/libq*.so")]
lost = set()
for file in files:
    listing = subprocess.run(["ldd", str(file)], capture_output=True, text=True).stdout
    lost |= {line.split()[0] for line in listing.splitlines() if "not found" in line and "libQt6" not in line}
wanted = [name for name in sorted(lost) if not name.startswith(("libwayland", "libgtk"))]
print(" ".join(wanted))
PY
}

lost=$(missing)
[ -z "$lost" ] && exit 0
echo "Qt needs system libraries that are not here: $lost"
command="apt-get install -y $(echo $packages)"
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive $command >/dev/null
    lost=$(missing)
    [ -z "$lost" ] && exit 0
    echo "Still missing: $lost" >&2
    exit 1
fi
echo "Install them with:  sudo $command" >&2
echo "(on other distributions, the packages that hold the files named above), then run make again." >&2
exit 1
