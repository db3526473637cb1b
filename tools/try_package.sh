#!/usr/bin/env bash
# Tries a built package in bare Debian roots: installs it, starts it, runs the demo, opens files in a window and
# hands it more, removes it and looks for what is left. As root, with debootstrap and a network.
#   tools/try_package.sh jeweller_VERSION_ARCH.deb [SUITE...]       (default: bookworm trixie)
set -euo pipefail
[ "$(id -u)" = 0 ] || { echo "tools/try_package.sh is for root: it makes systems to try in." >&2; exit 2; }
package="$(readlink -f "${1:?the package}")"
shift
[ $# -gt 0 ] || set -- bookworm trixie
home="${TRY_FOLDER:-/var/tmp/jeweller-roots}"
mkdir -p "$home"
failed=0

inside() { chroot "$root" env HOME=/root LC_ALL=C.UTF-8 DEBIAN_FRONTEND=noninteractive sh -ec "$1"; }
say() { printf '%-9s %s\n' "$suite" "$*"; }
must() {  # must WORDS COMMANDS: says whether they went well inside
  if inside "$2" > "$home/$suite.log" 2>&1; then say "$1: well"; else say "$1: FAILED"; tail -20 "$home/$suite.log"; failed=1; fi
}

for suite in "$@"; do
  root="$home/$suite"
  [ -f "$home/$suite.tar" ] || {
    rm -rf "$root"
    debootstrap --variant=minbase "$suite" "$root" > "$home/$suite.log"
    tar -C "$root" -cf "$home/$suite.tar" .
  }
  rm -rf "$root"
  mkdir "$root"
  tar -C "$root" -xf "$home/$suite.tar"
  mount --bind /dev "$root/dev"
  mount -t proc proc "$root/proc"
  trap 'umount -l "$root/proc" "$root/dev"' EXIT
  cp /etc/resolv.conf "$root/etc/"
  cp "$package" "$root/tmp/jeweller.deb"
  all='find / -xdev \( -path /proc -o -path /dev -o -path /root -o -path /tmp -o -path /var/lib/dpkg -o -path /var/cache -o -path /var/log -o -path /var/lib/apt -o -path /etc/ld.so.cache -o -path /opt -empty \) -prune -o -print | sort'
  must "ready" "apt-get update -qq; apt-get install -y -qq --no-install-recommends xvfb xauth man-db desktop-file-utils shared-mime-info hicolor-icon-theme"
  inside "apt-get install -y -qq --no-install-recommends \$(dpkg-deb -f /tmp/jeweller.deb Depends | tr ',' '\n' | sed 's/|.*//; s/(.*//' | while read -r p; do apt-cache show \"\$p\" >/dev/null 2>&1 && echo \"\$p\" || echo \"\${p}t64\"; done)" > "$home/$suite.log" 2>&1 || true
  inside "$all" > "$home/$suite.before"
  must "installed" "apt-get install -y -qq --no-install-recommends /tmp/jeweller.deb"
  must "starts" "jeweller --version; jeweller --help; man --warnings jeweller"
  inside "$all" > "$home/$suite.with"
  must "demo" "jeweller demo --takes 3 --out /tmp/demo"
  must "booth" "jeweller demo --booth --out /tmp/booth"
  must "known to the desktop" "grep -q org.jeweller.Jeweller.desktop /usr/share/applications/mimeinfo.cache; grep -q 'vnd.jeweller' /usr/share/mime/globs2; man -w jeweller"
  must "a window, and files handed to it" '
    score=$(ls /root/.local/share/jeweller/demo/*.musicxml | head -1); take=$(ls /root/.local/share/jeweller/demo/*.ogg | head -1)
    cat > /tmp/window.sh <<TWO
jeweller open "$score" & first=\$!
sleep 6
before=\$(date +%s)
timeout 20 jeweller open "$take" || exit 1
[ \$(( \$(date +%s) - before )) -lt 4 ] || exit 1
kill -0 \$first || exit 1
kill \$first
wait \$first || [ \$? -gt 128 ]
TWO
    timeout 60 xvfb-run -a sh -e /tmp/window.sh'
  inside "$all" > "$home/$suite.after"
  cmp -s "$home/$suite.with" "$home/$suite.after" && say "writes nothing beside the user's folders: well" || { say "wrote beside the user's folders:"; diff "$home/$suite.with" "$home/$suite.after" || true; failed=1; }
  must "removed" "apt-get remove -y -qq jeweller"
  inside "$all" > "$home/$suite.after"
  if cmp -s "$home/$suite.before" "$home/$suite.after"; then say "nothing left: well"; else say "left behind:"; diff "$home/$suite.before" "$home/$suite.after" || true; failed=1; fi
  must "the user's folder stays" "test -d /root/.local/share/jeweller"
  umount -l "$root/proc" "$root/dev"
  trap - EXIT
done
exit "$failed"
