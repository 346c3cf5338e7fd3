"""How many messages a second the reference codec decodes. Standard input: hexadecimal EXI of ISO 15118-2, one a line."""

import logging
import sys
import time

from iso15118.shared.exificient_exi_codec import ExificientEXICodec

logging.disable(logging.CRITICAL)
codec = ExificientEXICodec()
lines = [bytes.fromhex(line) for line in sys.stdin.read().split()]
for line in lines[:200]:
    codec.decode(line, "urn:iso:15118:2:2013:MsgDef")
start = time.perf_counter()
for line in lines:
    codec.decode(line, "urn:iso:15118:2:2013:MsgDef")
print(len(lines) / (time.perf_counter() - start))
codec.gateway.shutdown()
