#!/bin/sh
# Builds the native library for one platform into a folder: build.sh PLATFORM FOLDER
set -eu
mkdir -p "$2"
${CC:-cc} -O2 -fPIC -shared "-ffile-prefix-map=$PWD=." -Wl,--build-id=none -o "$2/libfenmarsh_tides.so" native/fenmarsh_tides.c -lm
echo "built libfenmarsh_tides.so for $1"
