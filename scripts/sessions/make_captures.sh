#!/usr/bin/env bash
# Captures sessions of the package `iso15118` 0.31.2 (simulated vehicle and post) between two network namespaces.
# Needs root, iproute2, dumpcap, a Java runtime, and a throw-away environment: PYTHON=exi-env/bin/python make_captures.sh OUT
set -eu
OUT=$1; HERE=$(cd "$(dirname "$0")" && pwd)
ip netns add gw-ev 2>/dev/null || true
ip link add gw-post type veth peer name gw-car 2>/dev/null || true
ip link set gw-car netns gw-ev 2>/dev/null || true
ip link set gw-post up; ip -n gw-ev link set gw-car up; ip -n gw-ev link set lo up; sleep 3
one() { # name protocol mode seconds post-fault vehicle-fault
  local dir; dir=$(mktemp -d)
  dumpcap -q -i gw-post -w "$dir/$1.pcapng" >/dev/null 2>&1 & local cap=$!
  (cd "$dir" && "$PYTHON" "$HERE/peer.py" secc gw-post "$5" >secc.log 2>&1) & local secc=$!
  sleep 6
  (cd "$dir" && ip netns exec gw-ev timeout "$4" "$PYTHON" "$HERE/peer.py" evcc gw-car "$2" "$3" "$6" >evcc.log 2>&1) || true
  sleep 1; pkill -P $secc || true; kill $secc 2>/dev/null || true; sleep 1; kill -INT $cap; wait $cap 2>/dev/null || true
  mv "$dir/$1.pcapng" "$OUT/"; echo "$1: $dir"
}
one din_healthy       DIN_SPEC_70121 DC 40 "" ""
one iso2_healthy      ISO_15118_2    DC 40 "" ""
one iso2_ac_healthy   ISO_15118_2    AC 40 "" ""
one iso2_refused      ISO_15118_2    DC 25 refused ""
one din_insulation    DIN_SPEC_70121 DC 25 insulation_fault ""
one iso2_emergency    ISO_15118_2    DC 30 emergency ""
one din_hangs         DIN_SPEC_70121 DC 60 insulation_hangs ""
one iso20_dc          ISO_15118_20_DC DC 40 "" ""
ip netns del gw-ev 2>/dev/null || true
