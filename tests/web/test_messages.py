"""Frames through the application: dropped, judged, opened, searched and taken out again."""

from __future__ import annotations

import csv
import io
import json
import re

import pytest
from starlette.testclient import TestClient

from gladwire.core.plc.frames import FrameCapture
from gladwire.core.plc.message import read_message
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import dc


def dropped(client: TestClient, *files: tuple[str, bytes]) -> str:
    answer = client.post("/captures", files=[("files", file) for file in files])
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def broken(seed: int = 1) -> bytes:
    """Frames of a session whose pre-charge stops at 210 V."""
    return pcapng.write(play(Plan(post=Post(reaches_v=210.0), seed=seed)).frames, 1_790_000_000.0)


def test_a_dropped_capture_of_frames_leads_to_dialogue_break_and_verdict(client: TestClient) -> None:
    page = client.get(dropped(client, ("fast.pcapng", broken()))).text
    assert "Pre-charge did not come near" in page
    assert "Here it broke." in page
    assert "Bring the cable to 352" in page
    assert "How loudly each post heard the vehicle" in page
    assert "CC_DISCOVER_LIST.IND" in page
    assert '"kind": "frames"' in page
    assert "The post brings the cable to the pack" in page  # the stage explained


def test_what_can_hurt_somebody_stands_before_the_outcome_in_lists_too(client: TestClient) -> None:
    plan = Plan(Vehicle(ignores_stop=True), Post(stops_after=40), loop_s=30)
    address = dropped(client, ("stop.pcapng", pcapng.write(play(plan).frames, 1_790_000_000.0)))
    assert "Danger." in client.get(address).text
    row = client.get("/").text.split(f'href="{address}"')[1].split("</li>")[0]
    assert "Danger." in row
    assert "badge-word" in row
    assert "Charged" not in row


def test_a_message_is_opened_to_its_fields_bytes_and_the_other_sides_limit(client: TestClient) -> None:
    address = dropped(client, ("fast.pcapng", broken(2)))
    number = int(address.rpartition("/")[2])
    capture = int(client.get(address).text.split("/captures/")[1].split("/")[0])
    assert number
    listed = client.get(f"/captures/{capture}/messages", params={"text": "EVSEPresentVoltage>200", "side": "evse"}).text
    assert "PreChargeRes" in listed
    place = int(listed.split("/messages/")[1].split('"')[0])
    opened = client.get(f"/captures/{capture}/messages/{place}").text
    assert "EVSEPresentVoltage" in opened
    assert "410 V" in opened
    assert "80 98" in opened
    assert client.get(f"/captures/{capture}/messages/99999").status_code == 404
    assert "No message holds that" in client.get(f"/captures/{capture}/messages", params={"text": "nothingatall"}).text
    assert client.get(f"/captures/{capture}/messages", params={"side": "nobody"}).status_code == 422


def test_messages_and_frames_come_out_again(client: TestClient) -> None:
    content = broken(3)
    address = dropped(client, ("fast.pcapng", content))
    capture = int(client.get(address).text.split("/captures/")[1].split("/")[0])
    lines = [json.loads(x) for x in client.get(f"/captures/{capture}/messages.jsonl").text.splitlines()]
    assert lines[0]["name"] == "supportedAppProtocolReq"
    assert lines[0]["from"] == "ev"
    assert {line["protocol"] for line in lines} == {"SAP", "ISO15118-2"}
    rows = list(csv.DictReader(io.StringIO(client.get(f"/captures/{capture}/messages.csv").text)))
    present = [r for r in rows if r["field"] == "EVSEPresentVoltage"]
    assert float(present[-1]["value"]) == 210.0
    assert present[-1]["unit"] == "V"
    whole = read_capture(Source(content))
    assert isinstance(whole, FrameCapture)
    part = read_capture(Source(client.get(f"/captures/{capture}/frames.pcapng", params={"from": 5, "to": 8}).content))
    assert isinstance(part, FrameCapture)
    assert [f.data for f in part.frames] == [f.data for f in whole.frames if 5 <= f.time_s <= 8]
    assert client.get(f"/captures/{capture}/frames.pcapng", params={"from": 900, "to": 901}).status_code == 404


def test_pilot_and_frames_dropped_together_lie_on_one_clock(client: TestClient) -> None:
    address = dropped(client, ("p.npz", dc.pilot("no_switch")), ("f.pcapng", dc.frames("no_switch")))
    result = client.get(f"{address}/results.json").json()
    placed = {c["name"]: c for c in result["captures"]}
    assert placed["f.pcapng"]["how"] == "events"
    assert abs(placed["f.pcapng"]["offset_s"] - 1.15) < 0.3
    codes = {f["code"] for f in result["findings"]}
    assert {"offer_before_match", "request_before_check", "switching_refused"} <= codes


def test_messages_of_a_pilot_capture_are_refused_in_words(client: TestClient) -> None:
    address = dropped(client, ("p.npz", dc.pilot("modem_silent")))
    capture = int(client.get(address).text.split("/captures/")[1].split("/")[0])
    answer = client.get(f"/captures/{capture}/messages.jsonl")
    assert answer.status_code == 404
    assert "holds no frames" in answer.text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("809a02004080c1014181c21151400dc0c142180c0c0c0040", "PreChargeReq"),
        ("01 fe 80 01 00 00 00 04 80 40 00 40", "OK_SuccessfulNegotiation"),
        ('{"protocol": "DIN70121", "name": "SessionStopReq", "fields": {}}', "SessionStopReq"),
        ("809a02004080c101", "Read as far as it goes"),
        ("80zz", "no hexadecimal digit"),
        ("{]", "no JSON"),
        ('{"name": "CableCheckReq", "fields": {}}', "needs a protocol"),
        ("", "Paste the bytes"),
    ],
)
def test_a_pasted_message_is_read_or_written_on_the_bench(client: TestClient, text: str, says: str) -> None:
    assert says in client.get("/bench/message", params={"text": text}).text


def test_what_the_bench_writes_reads_back(client: TestClient) -> None:
    fields = {"ResponseCode": "OK", "EVSEID": "4E4C", "DateTimeNow": 7}
    wanted = json.dumps({"protocol": "DIN70121", "name": "SessionSetupRes", "fields": fields})
    page = client.get("/bench/message", params={"text": wanted}).text
    octets = page.split('octets mb-1">')[1].split("<")[0]
    assert read_message(bytes.fromhex(octets)).fields == fields


def test_frames_taken_for_the_wrong_kind_can_be_read_as_another(client: TestClient) -> None:
    address = dropped(client, ("fast.pcapng", broken()))
    page = client.get(address).text
    form = page[page.index('id="reading"') :]
    assert 'name="reader"' in form
    assert 'name="scale"' not in form
    number = re.search(r'action="/captures/(\d+)/settle"', form)
    assert number
    answer = client.post(f"/captures/{number[1]}/settle", data={"by_name": "R", "why": "a try", "reader": "pcap"})
    assert answer.status_code == 303
    page = client.get(address).text
    assert "could not be read" in page
    assert "does not begin as pcap does" in page
