#!/usr/bin/env bash
# Captures sessions of the package `iso15118` 0.31.2 (simulated vehicle and post) between two network namespaces.
# Needs root, iproute2, dumpcap, a Java runtime, and a throw-away environment:
#   PYTHON=exi-env/bin/python PKI_PATH=pki make_captures.sh OUT [NAME...]
# PKI_PATH: what the package's own `create_certs.sh -v iso-2` makes, its names replaced by invented ones.
set -eu
OUT=$(realpath "$1"); shift; WANTED=" $* "; HERE=$(cd "$(dirname "$0")" && pwd)
ip netns add gw-ev 2>/dev/null || true
ip link add gw-post type veth peer name gw-car 2>/dev/null || true
ip link set gw-car netns gw-ev 2>/dev/null || true
ip -n gw-ev link set lo up
one() { # name protocol mode seconds post-fault vehicle-fault
  [ "$WANTED" = "  " ] || case "$WANTED" in *" $1 "*) ;; *) return 0 ;; esac
  local dir; dir=$(mktemp -d)
  ip link set gw-post up; ip -n gw-ev link set gw-car up; sleep 3
  [ -z "${SEAL:-}" ] || export SSLKEYLOGFILE="$OUT/$1.keys"
  dumpcap -q -i gw-post -w "$dir/$1.pcapng" >/dev/null 2>&1 & local cap=$!
  (cd "$dir" && "$PYTHON" "$HERE/peer.py" secc gw-post "$5" >secc.log 2>&1) & local secc=$!
  sleep 6
  (cd "$dir" && ip netns exec gw-ev timeout "$4" "$PYTHON" "$HERE/peer.py" evcc gw-car "$2" "$3" "$6" >evcc.log 2>&1) || true
  case "$5$6" in *:line*|*:frozen*) sleep 4 ;; esac
  sleep 1; pkill -KILL -P $secc || true; kill $secc 2>/dev/null || true; sleep 1; kill -INT $cap; wait $cap 2>/dev/null || true
  # Plain pcap: it names no machine.
  editcap -F pcap "$dir/$1.pcapng" "$OUT/$1.pcap"; unset SSLKEYLOGFILE; echo "$1: $dir"
}
one din_healthy       DIN_SPEC_70121 DC 40 "" ""
one iso2_healthy      ISO_15118_2    DC 40 "" ""
one iso2_ac_healthy   ISO_15118_2    AC 40 "" ""
one iso2_refused      ISO_15118_2    DC 25 refused ""
one din_insulation    DIN_SPEC_70121 DC 25 insulation_fault ""
one iso2_emergency    ISO_15118_2    DC 30 emergency ""
one din_hangs         DIN_SPEC_70121 DC 60 insulation_hangs ""
one iso20_dc          ISO_15118_20_DC DC 40 "" ""
SEAL=1.2 one sealed12_iso2_ac   ISO_15118_2     AC 60 "" ""
SEAL=1.2 SUITE=ECDHE-ECDSA-AES128-GCM-SHA256 one sealed12_gcm_iso2_dc ISO_15118_2 DC 60 "" ""
SEAL=1.2 one sealed12_install   ISO_15118_2     AC 60 "" install
SEAL=1.3 one sealed13_iso20_dc  ISO_15118_20_DC DC 60 "" ""
SEAL=1.3 one sealed13_iso20_ac  ISO_15118_20_AC AC 60 "" ""
SEAL=1.3 one sealed13_iso20_bpt ISO_15118_20_DC DC_BPT 60 "" ""
# Post and vehicle with figures that fit, failing as posts, vehicles and lines do: for the blind corpus.
for p in din:DIN_SPEC_70121 iso2:ISO_15118_2; do
  for f in healthy lowered gives_less nothing_offered shutdown malfunction precharge_low frozen killed line; do
    one "${p%%:*}_post_$f" "${p##*:}" DC 75 "real:$f" real:healthy
  done
  for f in asks_less too_hot never_closes frozen killed line; do
    one "${p%%:*}_vehicle_$f" "${p##*:}" DC 75 real:healthy "real:$f"
  done
done
one iso2_post_only_ac ISO_15118_2 DC 40 real:only_ac real:healthy
PROTOCOLS=DIN_SPEC_70121 one iso20_post_older ISO_15118_20_DC DC 40 real:healthy real:healthy
ip netns del gw-ev 2>/dev/null || true
