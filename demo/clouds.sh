#!/bin/sh
# Makes the demo's clip of clouds over the observatory: six seconds that come to themselves. Needs ffmpeg.
set -e
cd "$(dirname "$0")/site/pictures"
P="2*PI"
T="T/6"
CLOUD="(0.5+0.5*sin($P*(X/160+$T)+1.7*sin($P*(Y/90-$T)+X/60)))*(0.5+0.5*sin($P*(Y/150+$T)+1.2*sin($P*(X/320-$T)))+0.2*sin($P*(X/53+2*$T)+Y/19))"
SRC="nullsrc=size=320x180:rate=24:duration=6,format=gbrp,geq=r='34+96*$CLOUD':g='46+92*$CLOUD':b='78+84*$CLOUD',scale=1280:720:flags=bicubic,format=yuv420p"
ffmpeg -loglevel error -y -f lavfi -i "$SRC" -c:v libx264 -preset veryslow -crf 27 -movflags +faststart -an \
	-fflags +bitexact -flags:v +bitexact -map_metadata -1 clouds.mp4
ffmpeg -loglevel error -y -f lavfi -i "$SRC" -c:v libvpx-vp9 -crf 40 -b:v 0 -an \
	-fflags +bitexact -flags:v +bitexact -map_metadata -1 clouds.webm
ffmpeg -loglevel error -y -i clouds.mp4 -frames:v 1 -q:v 3 -map_metadata -1 clouds.jpg
