#!/bin/sh
# Programs made with what is installed, outside the tree: by find_package, and by pkg-config for the core. The installed
# program runs its demo, and the Debian package goes into a scratch root and out of it.
set -eu
build=$1
source=$2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cmake --install "$build" --prefix "$folder/prefix" >/dev/null

mkdir "$folder/made"
cp "$source/tests/packaging/by_find_package.cmake" "$folder/made/CMakeLists.txt"
cp "$source/examples/ten_lines.cpp" "$source/examples/plate_with_a_probe.cpp" "$folder/made"
cmake -S "$folder/made" -B "$folder/made/build" -DCMAKE_PREFIX_PATH="$folder/prefix" >/dev/null
cmake --build "$folder/made/build" >/dev/null
cd "$folder"
made/build/ten_lines | grep -q "at the pipe"
made/build/plate_with_a_probe plate.out >/dev/null
test -s plate.out/fields.nc

PKG_CONFIG_PATH=$(dirname "$(find prefix -name williwaw-core.pc)")
export PKG_CONFIG_PATH
# shellcheck disable=SC2046
g++ -std=c++20 made/ten_lines.cpp $(pkg-config --cflags --libs williwaw-core) -o by_pkg_config
./by_pkg_config | grep -q "at the pipe"
made/build/ten_lines >one
./by_pkg_config >other
cmp one other

version=$(prefix/bin/williwaw --version | cut -d ' ' -f 2)
test "$(pkg-config --modversion williwaw-core)" = "$version"
prefix/bin/williwaw demo hut-floor -o installed.out >/dev/null
test -s installed.out/figures/profiles.png

(cd "$build" && cpack -G DEB -B "$folder/package" >/dev/null)
deb=$(ls "$folder"/package/*.deb)
dpkg-deb -f "$deb" Depends | grep -q libnetcdf
test "$(dpkg-deb -f "$deb" Version)" = "$version"
mkdir -p root/var/lib/dpkg/info root/var/lib/dpkg/updates
: >root/var/lib/dpkg/status
# Packages that it depends on are those of this machine, not of the scratch root.
dpkg="dpkg --root=$folder/root --force-depends --force-not-root --force-script-chrootless --log=$folder/dpkg.log"
$dpkg -i "$deb" >/dev/null 2>&1
test -x root/usr/bin/williwaw
root/usr/bin/williwaw demo hut-floor -o from_package.out >/dev/null
cmp installed.out/series.csv from_package.out/series.csv
test -s root/usr/share/doc/williwaw/copyright
$dpkg -r williwaw >/dev/null 2>&1
left=$(find root -path root/var -prune -o -type f -print)
test -z "$left" || { echo "left behind: $left" >&2; exit 1; }

# The program of the tutorial is compiled as it says.
"$source/tests/docs/run_blocks.py" "$source/docs/tutorial.md" "$folder/prefix/bin/williwaw" "$folder/prefix" >/dev/null
