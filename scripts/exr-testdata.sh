#!/usr/bin/env bash
# Writes core/codec/exr/testdata with another program (oiiotool, of Debian's
# openimageio-tools), and what that program reads back from its own lossy files.
set -euo pipefail
cd "$(dirname "$0")/../core/codec/exr/testdata"
rm -f ./*.exr
base() { oiiotool --pattern fill:topleft=0.02,0.3,1.5,1:topright=0.9,0.1,0.2,0.7:bottomleft=0.4,2.5,0.05,0.5:bottomright=0.7,0.6,0.8,0.2 67x45 4 --chnames R,G,B,A --noise:type=gaussian:mean=0:stddev=0.03:seed=3 "$@"; }
for type in half float; do
  base -d $type --compression none -o plain-$type.exr
  for c in rle zips zip piz pxr24 b44 b44a dwaa dwab; do
    oiiotool plain-$type.exr -d $type --compression $c -o $c-$type.exr
    case $c in pxr24|b44|b44a|dwaa|dwab) oiiotool $c-$type.exr -d $type --compression none -o $c-$type-read.exr ;; esac
  done
done
oiiotool --pattern constant:color=0.25,0.5,0.75 40x40 3 -d half --compression b44a -o flat-b44a.exr
oiiotool plain-half.exr --ch A -d uint32 --chnames id --compression zip -o uint-zip.exr
oiiotool plain-half.exr --ch A -d uint32 --chnames id --compression piz -o uint-piz.exr
oiiotool plain-half.exr -d half --tile 32 16 --compression zip -o tiles-zip.exr
oiiotool plain-half.exr -d half --tile 32 16 --compression piz -o tiles-piz.exr
oiiotool plain-float.exr -d float --tile 16 16 --compression pxr24 -o tiles-pxr24.exr
oiiotool plain-half.exr -d half --compression dwaa --tile 32 32 -o tiles-dwaa.exr
oiiotool tiles-dwaa.exr -d half --compression none -o tiles-dwaa-read.exr
oiiotool plain-half.exr -d half -otex:fileformatname=openexr mip-zip.exr
# Layers, several parts, and a data window apart from the display window.
oiiotool plain-half.exr --ch R,G,B --chnames N.X,N.Y,N.Z plain-half.exr --ch A --chnames roughness.Y --chappend plain-half.exr --ch R,G,B --chappend -d half --compression zip -o layers.exr
oiiotool plain-half.exr --attrib oiio:subimagename base plain-half.exr --ch A --chnames Y --attrib oiio:subimagename height --siappend -d half --compression zips -o parts.exr
oiiotool plain-half.exr --origin +10-5 --fullsize 80x50+0+0 -d half --compression zip -o window.exr
oiiotool plain-half.exr --attrib:type=float XResolution 300 --attrib ResolutionUnit in -d half --compression zip -o density.exr
