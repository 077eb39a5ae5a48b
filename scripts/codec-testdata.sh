#!/usr/bin/env bash
# Writes the test pictures of core/codec's readers with other programs (oiiotool of
# openimageio-tools, tiffcp of libtiff-tools). plain.* is what the others hold.
set -euo pipefail
cd "$(dirname "$0")/../core/codec"
base() { oiiotool --pattern fill:topleft=0.02,0.3,1,1:topright=0.9,0.1,0.2,0.7:bottomleft=0.4,1,0.05,0.5:bottomright=0.7,0.6,0.8,0.2 37x29 4 --chnames R,G,B,A --attrib oiio:UnassociatedAlpha 1 "$@"; }
rgb() { base --ch R,G,B "$@"; }
cd tiff/testdata; rm -f ./*
for d in uint8 uint16 float half; do
  rgb -d $d --compression none -o plain-$d.tif
  for c in lzw zip packbits; do rgb -d $d --compression $c -o $c-$d.tif; done
  rgb -d $d --compression zip --tile 16 16 -o tiles-$d.tif
  rgb -d $d --compression none --planarconfig separate -o planes-$d.tif
done
for d in uint8 uint16 float; do tiffcp -B plain-$d.tif big-$d.tif; tiffcp -B -c lzw:2 plain-$d.tif big-lzw-$d.tif 2>/dev/null || true; done
tiffcp -c zip:3 plain-float.tif predicted-float.tif
base -d uint8 --compression lzw -o alpha-uint8.tif
base --ch R -d uint16 --compression zip -o grey-uint16.tif
rgb -d uint8 --attrib:type=float XResolution 300 --attrib ResolutionUnit in -o density.tif
cd ../../tga/testdata; rm -f ./*
rgb -d uint8 -o plain.tga
rgb -d uint8 --compression rle -o runs.tga
base -d uint8 -o alpha.tga
base --ch R -d uint8 -o grey.tga
rgb -d uint8 --attrib Orientation 1 -o top.tga
cd ../../hdr/testdata; rm -f ./*
rgb --mulc 4 -o plain.hdr
rgb --mulc 4 --resize 6x5 -o narrow.hdr
rgb --mulc 4 -d float -o truth.exr
