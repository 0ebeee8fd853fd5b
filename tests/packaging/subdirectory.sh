#!/bin/sh
# A program that brings the sources of Williwaw along, as add_subdirectory and FetchContent do: libraries alone are built.
set -eu
source=$1
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cp "$source/tests/packaging/by_subdirectory.cmake" "$folder/CMakeLists.txt"
cp "$source/examples/ten_lines.cpp" "$folder"
# Quickly rather than for speed.
cmake -S "$folder" -B "$folder/build" -G Ninja -DWILLIWAW="$source" -DCMAKE_BUILD_TYPE=Debug \
  -DCMAKE_CXX_FLAGS="-O0 -DWILLIWAW_NO_CLONES" >/dev/null
# Beside other tests, some of which are patient for so long.
cmake --build "$folder/build" --target ten_lines --parallel 1 >/dev/null
"$folder/build/ten_lines" | grep -q "at the pipe"
