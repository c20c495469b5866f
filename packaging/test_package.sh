#!/bin/sh
# Installs what `make package` made where there is neither compiler nor checkout, uses it as a person would, and
# removes it. The wheel goes into environments of every Python that is found here; the .deb into a bare system in a
# folder of its own, which needs root, debootstrap and a network.
# usage: test_package.sh [wheel|deb]...
set -eu
here=$(pwd)
wheel=$(ls "$here"/dist/*.whl)
deb=$(ls "$here"/dist/*.deb)
work=$(mktemp -d /var/tmp/chronoxis-package-XXXXXX)
trap 'rm -rf "$work"' EXIT
say() { printf '\n== %s\n' "$*"; }

# What a person does first, with nothing but what was installed. Runs in a folder that is not the checkout.
use='
set -eu
chronoxis --version
chronoxis --help >/dev/null
chronoxis report | head -4
chronoxis demo --data-only --dir "$HOME/meet" 2>/dev/null | tail -1
film=$(ls "$HOME"/meet/*.mp4 | head -1)
chronoxis condense "$film" --speed 20 --each long-exposure -o "$HOME/short.mp4" --progress none
chronoxis facts "$HOME/short.mp4" | head -3
'

# The window with the demo, until it is seen; called with the program.
show='
"$0" "$HOME/meet/larkfield.chronoxis" &
for _ in $(seq 60); do
    sleep 1
    seen=$(xdotool search --onlyvisible --name "larkfield.*Chronoxis" 2>/dev/null | head -1)
    [ -n "$seen" ] && break
done
xdotool getwindowname "$seen"
kill $!
wait $! || true
'

of_wheel() {
    for python in ${PYTHONS:-python3.11 python3.12 python3.13 python3.14}; do
        "$python" -c "" 2>/dev/null || { say "$python is not here"; continue; }
        say "wheel, $("$python" --version)"
        "$python" -m venv "$work/venv"
        home=$work/home
        mkdir -p "$home" "$work/programs"
        # No compiler: a folder with what the shell needs, and nothing else, is all that is on the path.
        for name in sh ls head tail cat rm mkdir; do ln -sf "$(command -v "$name")" "$work/programs/$name"; done
        path=$work/venv/bin:$work/programs
        (cd "$home" && env -i HOME="$home" PATH="$path" python -m pip install --quiet \
            --disable-pip-version-check "$wheel")
        (cd "$home" && env -i HOME="$home" PATH="$path" LANG=C.UTF-8 sh -c "$use")
        if command -v xvfb-run >/dev/null && command -v xdotool >/dev/null; then
            (cd "$home" && env -i HOME="$home" LANG=C.UTF-8 PATH="/usr/sbin:/usr/bin:/sbin:/bin" \
                xvfb-run -a -s "-screen 0 1280x800x24" sh -c "$show" "$work/venv/bin/chronoxis")
        fi
        (cd "$home" && env -i HOME="$home" PATH="$path" LANG=C.UTF-8 chronoxis desktop install)
        find "$home/.local/share" -type f | sed "s|$home/||" | sort
        (cd "$home" && env -i HOME="$home" PATH="$path" LANG=C.UTF-8 chronoxis desktop remove)
        test -z "$(find "$home/.local/share" -name '*chronoxis*')"
        (cd "$home" && env -i HOME="$home" PATH="$path" python -m pip uninstall --quiet --yes chronoxis)
        test ! -e "$work/venv/bin/chronoxis"
        rm -rf "$work/venv" "$home"
    done
}

of_deb() {
    say "deb, on a bare $(. /etc/os-release; echo "$PRETTY_NAME")"
    root=$work/root
    . /etc/os-release
    debootstrap --variant=minbase "$VERSION_CODENAME" "$root" "$(mirror)" >"$work/debootstrap.log" || {
        tail -3 "$work/debootstrap.log" >&2
        exit 1
    }
    cp "$deb" "$root/tmp/"
    cp /etc/resolv.conf /etc/hosts "$root/etc/" 2>/dev/null || true
    cp -r /etc/apt/apt.conf.d "$root/etc/apt/" 2>/dev/null || true
    mount -t proc proc "$root/proc"
    trap 'umount "$root/proc"; rm -rf "$work"' EXIT
    in_root() { env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root LANG=C.UTF-8 DEBIAN_FRONTEND=noninteractive \
        chroot "$root" /bin/sh -c "$1"; }
    in_root 'apt-get update -qq && apt-get install -y -qq --no-install-recommends \
        xvfb xauth xdotool imagemagick shared-mime-info desktop-file-utils xdg-utils libglib2.0-bin man-db >/dev/null'
    in_root 'find / -xdev -type f -o -xdev -type l | grep -v "^/proc\|^/sys\|^/var\|^/tmp" | sort >/var/before'
    in_root 'apt-get install -y -qq /tmp/*.deb >/dev/null 2>&1 && dpkg -s chronoxis | grep -E "Status|Installed-Size"'
    in_root '! command -v gcc && ! command -v cc && ! command -v python3 || { echo "not a bare system"; exit 1; }'
    in_root "useradd -m person 2>/dev/null; cat >/tmp/use.sh <<'USE'
$use
USE
chmod 755 /tmp/use.sh; su - person -s /bin/sh -c 'LANG=C.UTF-8 sh /tmp/use.sh'"
    say "window, by a double click on a project; then ten minutes to a time-lapse, by its keys"
    in_root "cat >/tmp/click.sh <<'CLICK'
set -eu
project=\$HOME/meet/larkfield.chronoxis
film=\$HOME/meet/Field-from-the-tower.mp4
gio mime application/vnd.chronoxis.project+json | head -1
gio info -a standard::content-type \"\$project\" | grep -q application/vnd.chronoxis.project+json
desktop-file-validate /usr/share/applications/chronoxis.desktop
window_of() {
    for _ in \$(seq 60); do
        sleep 1
        seen=\$(xdotool search --onlyvisible --name \"\$1\" 2>/dev/null | head -1) && [ -n \"\$seen\" ] && return
    done
    exit 1
}
end() { kill -TERM \"\$(xdotool getwindowpid \$seen)\"; sleep 4; }
keys() { for key in \$*; do xdotool key --window \$seen \$key; sleep 1; done; }
gio open \"\$project\"
window_of 'larkfield.*Chronoxis'
xdotool getwindowname \$seen
sleep 10
import -window root /tmp/window.png
end
chronoxis \"\$film\" &
window_of 'Chronoxis'
sleep 8
xdotool windowfocus \$seen
keys Escape Home i ctrl+f
xdotool type --window \$seen 12
keys Return alt+2 alt+g
sleep 6
import -window root /tmp/walk.png
keys ctrl+e
sleep 3
import -window root /tmp/export.png
end
CLICK
chmod 755 /tmp/click.sh; su - person -s /bin/sh -c 'LANG=C.UTF-8 xvfb-run -a -s \"-screen 0 1280x800x24\" sh /tmp/click.sh'"
    for picture in window walk export; do cp "$root/tmp/$picture.png" "$here/dist/"; done
    in_root 'man -P cat chronoxis | head -5'
    say "removal"
    in_root 'apt-get remove -y -qq chronoxis >/dev/null 2>&1; apt-get purge -y -qq chronoxis >/dev/null 2>&1
        find / -xdev -type f -o -xdev -type l | grep -v "^/proc\|^/sys\|^/var\|^/tmp\|^/home" | sort >/var/after
        comm -13 /var/before /var/after | grep -i "chronox" && { echo "left behind"; exit 1; } || echo "nothing of it is left"
        test ! -e /opt/chronoxis && ls -d /home/person/meet'
}

mirror() { # the one that this system is installed from
    sed -n 's/^URIs: *//p; s/^deb \(\[[^]]*\] \)\{0,1\}\([^ ]*\).*/\2/p' \
        /etc/apt/sources.list /etc/apt/sources.list.d/* 2>/dev/null | head -1
}

for part in ${*:-wheel deb}; do "of_$part"; done
say "all held"
