#!/usr/bin/env bash
# Install the system libraries that Qt and the tests need, where they are missing (Debian and its kin).
# Without the right to install, say exactly what to install and go on: they may be there under another name.
set -u
needed="libegl1 libgl1 libglib2.0-0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libgomp1 xvfb python3-venv"
if ! command -v dpkg-query >/dev/null 2>&1; then
    echo "Not a Debian-like system: make sure that Qt's libraries are there (EGL, GL, xkbcommon, dbus, fontconfig, xcb-cursor) and Xvfb for the tests."
    exit 0
fi
missing=""
for p in $needed; do
    state=$(dpkg-query -W -f='${Status}' "$p" 2>/dev/null || dpkg-query -W -f='${Status}' "${p}t64" 2>/dev/null || true)
    case "$state" in *"ok installed"*) ;; *) missing="$missing $p" ;; esac
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then as=""; elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then as="sudo"; else
    echo "These system packages are missing; install them with:  sudo apt-get install$missing"
    exit 0
fi
echo "Installing system packages:$missing"
$as apt-get update -qq || true
for p in $missing; do
    $as env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$p" >/dev/null 2>&1 \
        || $as env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${p}t64" >/dev/null 2>&1 \
        || echo "Could not install $p; install it by hand if the window does not open."
done
exit 0
