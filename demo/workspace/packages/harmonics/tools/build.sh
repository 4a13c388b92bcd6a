#!/bin/sh
# Builds the shared library for one platform into a folder: build.sh PLATFORM FOLDER
set -eu
out=$2/lib
mkdir -p "$out"
soname=libharmonics.so.0
${CC:-cc} -O2 -fPIC -shared -Iinclude "-ffile-prefix-map=$PWD=." -Wl,--build-id=none "-Wl,-soname,$soname" \
  -o "$out/libharmonics.so.$BEVELSTONE_VERSION" src/harmonics.c -lm
ln -sf "libharmonics.so.$BEVELSTONE_VERSION" "$out/$soname"
ln -sf "$soname" "$out/libharmonics.so"
echo "built libharmonics.so.$BEVELSTONE_VERSION for $1"
