#!/usr/bin/env bash
# Builds jeweller_VERSION_ARCH.deb: the program with a Python environment of its own under /opt/jeweller.
#   tools/package.sh --fetch DIR    puts the wheels that the lock files pin into DIR (needs a network)
#   tools/package.sh DIR [OUT]      builds from the wheels in DIR, without a network, into OUT (default: dist)
# PYTHON names the interpreter that is shipped: Debian 12's python3.11, so that one file serves 12 and 13.
set -euo pipefail
here="$(cd "$(dirname "$(readlink -f "${BASH_SOURCE[0]}")")/.." && pwd)"
venv="${JEWELLER_VENV:-$here/.venv}"
PYTHON="${PYTHON:-/usr/bin/python3.11}"
id=org.jeweller.Jeweller

fail() { printf '%s\n' "$*" >&2; exit 2; }

[ -x "$venv/bin/python" ] || fail "Start ./jeweller test once first: it makes the environment that builds."
[ -x "$PYTHON" ] || fail "There is no $PYTHON; name the interpreter to ship with PYTHON=."
minor="$("$PYTHON" -c 'import sys; print("%d.%d" % sys.version_info[:2])')"
[ "$minor" = "$("$venv/bin/python" -c 'import sys; print("%d.%d" % sys.version_info[:2])')" ] \
  || fail "$PYTHON and $venv are of different versions of Python."

if [ "${1:-}" = --fetch ]; then
  [ -n "${2:-}" ] || fail "tools/package.sh --fetch DIR"
  "$venv/bin/python" -m pip download --quiet --require-hashes --only-binary :all: --dest "$2" \
    -r "$here/requirements.lock"
  exec "$venv/bin/python" -m pip wheel --quiet --require-hashes --no-deps --no-build-isolation --wheel-dir "$2" \
    -r "$here/packaging/requirements.lock"  # what makes the manual page comes as source only
fi
wheels="$(readlink -f "${1:?tools/package.sh DIR [OUT]}")"
out="$(mkdir -p "${2:-$here/dist}" && readlink -f "${2:-$here/dist}")"

version="$(sed -n 's/^__version__ = "\(.*\)"/\1/p' "$here/src/jeweller/__init__.py")"
architecture="$(dpkg --print-architecture)"
SOURCE_DATE_EPOCH="$(git -C "$here" log -1 --format=%ct 2>/dev/null || date +%s)"
export SOURCE_DATE_EPOCH
day="$(date -u -d "@$SOURCE_DATE_EPOCH" +%F)"
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
stage="$work/stage"
opt="$stage/opt/jeweller"
site="$opt/lib/python$minor/site-packages"
umask 022

# --- the interpreter and its library, without what a program that is used never needs
mkdir -p "$opt/python/bin" "$opt/python/lib" "$opt/bin" "$site"
cp "$(readlink -f "$PYTHON")" "$opt/python/bin/python$minor"
if ldd "$opt/python/bin/python$minor" | grep -q libpython; then
  fail "$PYTHON needs a libpython beside it; name one that is whole with PYTHON=."
fi
library="$("$PYTHON" -c 'import sysconfig; print(sysconfig.get_path("stdlib"))')"
cp -rL "$library" "$opt/python/lib/python$minor" 2>/dev/null || true  # links of Debian's that lead into /etc
[ -f "$opt/python/lib/python$minor/os.py" ] || fail "The library of $PYTHON could not be copied."
(
  cd "$opt/python/lib/python$minor"
  rm -rf dist-packages site-packages test idlelib tkinter turtledemo turtle.py ensurepip lib2to3 pydoc_data \
    config-* distutils sitecustomize.py EXTERNALLY-MANAGED
  rm -f lib-dynload/{_tkinter,_curses,_curses_panel,readline,_dbm,_gdbm,nis,_crypt,_test,_xxtestfuzz,xxlimited,ossaudiodev}*.so
)
ln -s ../python/bin/"python$minor" "$opt/bin/python"
ln -s python "$opt/bin/python3"
printf 'home = /opt/jeweller/python/bin\ninclude-system-site-packages = false\nversion = %s\n' \
  "$("$PYTHON" -c 'import platform; print(platform.python_version())')" > "$opt/pyvenv.cfg"

# --- the packages, as the lock pins them, and the program itself
pip() { "$venv/bin/python" -m pip --disable-pip-version-check --quiet "$@"; }
PIP_CONFIG_FILE=/dev/null pip install --no-index --find-links "$wheels" --no-cache-dir --only-binary :all: \
  --require-hashes --no-compile --target "$site" -r "$here/requirements.lock"
mkdir "$work/source" "$work/own"
cp -r "$here"/{src,pyproject.toml,README.md,LICENSE,requirements.in} "$work/source"
find "$work/source" -name __pycache__ -prune -exec rm -rf {} +
(cd "$work/source" && "$venv/bin/python" -c 'from setuptools import build_meta as b; import sys; b.build_wheel(sys.argv[1])' "$work/own" >/dev/null)
PIP_CONFIG_FILE=/dev/null pip install --no-index --no-deps --no-compile --target "$site" "$work"/own/*.whl
rm -rf "$site/bin" "$site/share"
(  # the parts of Qt that no window of ours shows, and tests and headers of packages
  cd "$site/PySide6"
  rm -rf Qt/qml Qt/translations/assistant* Qt/translations/designer* Qt/translations/linguist* Qt/libexec Qt/metatypes \
    doc glue include scripts support typesystems ./*.pyi ./assistant ./designer ./linguist ./lrelease ./lupdate ./qml* ./svgtoqml ./balsam* \
    Qt/plugins/platformthemes/libqgtk3.so Qt/plugins/{designer,qmltooling,qmllint,assetimporters,sqldrivers,qmlls,sceneparsers,geometryloaders,renderers,renderplugins}
  rm -f Qt/lib/libQt6{Qml,Quick,Designer,UiTools,Labs,Test,Sql,Help,ShaderTools}*.so* \
    Qt{Qml,Quick,QuickWidgets,QuickControls2,QuickTest,Designer,UiTools,Test,Sql,Help,Concurrent}.abi3.so libpyside6qml*
)
find "$site" \( -name tests -o -name '*.pyi' -o -name '*.pxd' \) -prune -exec rm -rf {} +
rm -rf "$site"/numpy/_core/include "$site"/fontTools/fontBuilder.py
"$PYTHON" -m compileall -q -j 0 --invalidation-mode unchecked-hash -s "$stage" "$opt" || true  # templates are no code

# --- what a desktop and a shell look for
mkdir -p "$stage"/usr/{bin,share/{applications,metainfo,mime/packages,man/man1,doc/jeweller,icons/hicolor/scalable/{apps,mimetypes}}}
printf '#!/bin/sh\nexec /opt/jeweller/bin/python -P -m jeweller "$@"\n' > "$stage/usr/bin/jeweller"
chmod 755 "$stage/usr/bin/jeweller"
cp "$here/packaging/$id.desktop" "$stage/usr/share/applications/"
cp "$here/packaging/$id.mime.xml" "$stage/usr/share/mime/packages/$id.xml"
sed "s/@VERSION@/$version/; s/@DATE@/$day/" "$here/packaging/$id.metainfo.xml" > "$stage/usr/share/metainfo/$id.metainfo.xml"
cp "$here/src/jeweller/assets/icons/jeweller.svg" "$stage/usr/share/icons/hicolor/scalable/apps/$id.svg"
QT_QPA_PLATFORM=offscreen "$venv/bin/python" - "$stage/usr/share/icons/hicolor" "$id" <<'PICTURES'
import sys
from pathlib import Path
from PySide6.QtGui import QGuiApplication, QIcon

application = QGuiApplication([])
home, name = Path(sys.argv[1]), sys.argv[2]
icon = QIcon(str(home / "scalable" / "apps" / f"{name}.svg"))
for size in (16, 22, 24, 32, 48, 64, 128, 256):
    folder = home / f"{size}x{size}" / "apps"
    folder.mkdir(parents=True)
    if not icon.pixmap(size, size).save(str(folder / f"{name}.png")):
        sys.exit("The icon could not be drawn.")
PICTURES
cp "$here/LICENSE" "$stage/usr/share/doc/jeweller/copyright"
cp "$here/docs/third-party.md" "$stage/usr/share/doc/jeweller/"
cp "$library/LICENSE.txt" "$stage/usr/share/doc/jeweller/python.txt" 2>/dev/null || cp "/usr/share/doc/python$minor/copyright" "$stage/usr/share/doc/jeweller/python.txt"
gzip -9n < "$here/CHANGELOG.md" > "$stage/usr/share/doc/jeweller/changelog.gz"
PIP_CONFIG_FILE=/dev/null pip install --no-index --no-deps --find-links "$wheels" --target "$work/manual" argparse-manpage
PYTHONPATH="$here/src:$work/manual" "$venv/bin/python" "$work/manual/bin/argparse-manpage" --module jeweller.cli.parser --function make_parser --prog jeweller \
  --project-name jeweller --version "$version" --manual-title "User Commands" \
  --description "compares a band student's recording with the notated part" --include "$here/packaging/manual.h2m" \
  | gzip -9n > "$stage/usr/share/man/man1/jeweller.1.gz"

# --- what it depends on: libraries that its own link to, and those that the launcher knows to be opened by name
find "$stage/opt" -type f \( -name '*.so*' -o -name "python$minor" \) -exec objdump -p {} + 2>/dev/null \
  | sed -n 's/^ *NEEDED *//p' | sort -u > "$work/needed"
find "$stage/opt" -name '*.so*' -printf '%f\n' | sort -u > "$work/brought"
packages="$(
  {
    comm -23 "$work/needed" "$work/brought" | while read -r library; do
      file="$(/sbin/ldconfig -p | sed -n "s|^\s*$library .*=> ||p" | head -1)"
      [ -n "$file" ] || continue
      file="$(readlink -f "$file")"  # a package may know it by its name before /lib became /usr/lib
      dpkg -S "$file" "${file#/usr}" 2>/dev/null || true
    done | cut -d: -f1
    sed -n '/^system_libraries="/,/"$/p' "$here/jeweller" | tr -d '"' | sed 's/^system_libraries=//' | tr ' ' '\n' | cut -d: -f1
  } | sed 's/t64$//' | sort -u
)"
depends="libc6 (>= 2.36)"
for package in $packages; do
  case "$package" in libc6|'') ;; *) depends="$depends, $package | ${package}t64" ;; esac
done

mkdir "$stage/DEBIAN"
cat > "$stage/DEBIAN/control" <<CONTROL
Package: jeweller
Version: $version
Architecture: $architecture
Maintainer: The developers of Jeweller <developers@jeweller.invalid>
Installed-Size: $(du -sk "$stage" | cut -f1)
Section: education
Priority: optional
Depends: $depends
Recommends: fonts-dejavu-core, tesseract-ocr
Description: compares a band student's recording with the notated part
 Jeweller is for band teachers. It compares recordings of exercises, scales
 and tunes with the written part and shows on the part what differs; it makes
 music to practise, records in a booth, and marks a class. The teacher keeps
 the last word, and everything stays on this computer.
CONTROL
(cd "$stage" && find opt usr -type f -print0 | sort -z | xargs -0 md5sum) > "$stage/DEBIAN/md5sums"
find "$stage" -newermt "@$SOURCE_DATE_EPOCH" -print0 | xargs -0r touch --no-dereference --date="@$SOURCE_DATE_EPOCH"
chmod -R u=rwX,go=rX "$stage"
file="$out/jeweller_${version}_$architecture.deb"
dpkg-deb --root-owner-group -Zxz -z6 --build "$stage" "$file" >/dev/null
printf '%s\n' "$file"
