"""`./glad inspect` as a person or a script calls it: exit codes, one line of trouble, the object of --json."""

from __future__ import annotations

import datetime
import io
import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from gladwire.cli import main
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.scenarios import bus
from tests.build import QUIET, session


def table(folder: Path, name: str = "a.csv") -> Path:
    wave = session(asking_ms=500).record(50e3, QUIET)
    path = folder / name
    other = np.full(len(wave.samples), 1.5)
    rows = (f"{i / 50e3:.6f},{p},{v:.3f}" for i, (p, v) in enumerate(zip(other, wave.samples, strict=True)))
    path.write_text("t,B,A\n" + "\n".join(rows) + "\n")
    return path


def run(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    code = main(["inspect", *arguments])
    out, err = capsys.readouterr()
    return code, out, err


def test_the_object_of_json_has_the_contracts_keys(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    code, out, err = run(capsys, str(table(tmp_path)), "--json")
    assert (code, err) == (0, "")
    seen = json.loads(out)
    assert seen["files"] == [{"name": "a.csv", "kind": "waveform", "format": "scope-csv"}]
    assert [p["state"] for p in seen["pilot"]] == list("ABBCBBA")
    assert set(seen["pilot"][0]) == {"state", "oscillating", "start_s", "end_s", "high_v"}
    assert {"low_v", "frequency_hz", "duty_percent", "advertised_current_a"} <= set(seen["pilot"][2])
    assert {s["stage"]: s["state"] for s in seen["stages"]}["request"] == "proven"
    assert seen["outcome"] == "unknown"
    assert {"code", "severity", "stage", "text", "start_s", "end_s", "measured", "expected", "source"} <= set(
        seen["findings"][0]
    )
    assert {"code", "title", "owner", "confidence", "evidence", "next_test"} <= set(seen["causes"][0])
    assert isinstance(seen["causes"][0]["evidence"][0], str)


def test_text_says_what_the_page_says(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, str(table(tmp_path)))
    assert code == 0
    assert "“A” was taken for the pilot" in out
    assert "Nothing wrong in what was captured" in out


def test_roles_settle_channels(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = str(table(tmp_path))
    settled = json.loads(run(capsys, path, "--json", "--role", "B=cp")[1])
    assert [p["state"] for p in settled["pilot"]] == ["E"]
    settled = json.loads(run(capsys, path, "--json", "--role", "A=pp")[1])
    assert "pilot" not in settled  # what is left stands at nought, which is no pilot's sign


def test_the_launcher_takes_files_from_where_the_person_stands(tmp_path: Path) -> None:
    table(tmp_path, "here.csv")
    glad = Path(__file__).parents[1] / "glad"
    done = subprocess.run([glad, "inspect", "here.csv"], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("here.csv")
    gone = subprocess.run([glad, "inspect", "gone.csv"], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert gone.returncode == 2


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["missing.csv"], "there is no such file"),
        (["."], "this is no file"),
        (["diary.txt"], "rows of numbers were expected"),
        (["bare.csv"], "(option --interval)"),
        (["a.csv", "--role", "A=pilot"], "NAME=ROLE was expected"),
        (["a.csv", "--role", "C=cp"], "there is no channel “C”"),
        (["a.csv", "--role", "C=pp"], "there is no channel “C”"),
    ],
)
def test_trouble_is_one_line_and_exit_2(
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
    arguments: list[str],
    says: str,
) -> None:
    monkeypatch.chdir(tmp_path)
    table(tmp_path)
    (tmp_path / "bare.csv").write_text("9.0\n9.1\n9.0\n" * 50)
    (tmp_path / "diary.txt").write_text("dear diary\nnothing\nhappened\n")
    code, out, err = run(capsys, *arguments)
    assert (code, out) == (2, "")
    assert says in err
    assert err.count("\n") == 1


def test_frames_are_inspected_with_the_contracts_keys(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "a.pcapng"
    played = play(Plan(loop_s=1.0)).frames
    path.write_bytes(pcapng.write(played, 1_790_000_000.0))
    code, out, err = run(capsys, str(path), "--json")
    assert (code, err) == (0, "")
    seen = json.loads(out)
    assert seen["files"] == [{"name": "a.pcapng", "kind": "frames", "format": "pcapng"}]
    assert "pilot" not in seen
    slac = seen["slac"][0]
    assert slac["result"] == "matched"
    assert {"start_s", "end_s", "run_id", "ev_mac", "evse_mac", "average_attenuation_db", "sounds"} <= set(slac)
    assert [d["request"] for d in seen["sdp"]] == [True, False]
    assert seen["sdp"][1]["port"] == 64109
    first, last = seen["messages"][0], seen["messages"][-1]
    assert (first["from"], first["protocol"], first["name"]) == ("ev", "SAP", "supportedAppProtocolReq")
    assert first["fields"]["AppProtocol[0].Priority"] == 1
    assert (last["from"], last["name"], last["response_code"]) == ("evse", "SessionStopRes", "OK")
    loop = next(m for m in seen["messages"] if m["name"] == "CurrentDemandRes")
    assert isinstance(loop["fields"]["EVSEPresentVoltage"], int | float)
    assert seen["outcome"] == "charged"
    assert [s["state"] for s in seen["stages"]][5:] == ["proven"] * 10
    code, out, _ = run(capsys, str(path))
    assert "Dialogue, port 64109" in out


def test_exi_lines_are_decoded_and_encoded_one_a_line(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    digits = "809a02004080c1014181c21151400dc0c142180c0c0c0040"
    monkeypatch.setattr("sys.stdin", io.StringIO(f"{digits}\n80400040\nzz\n\n"))
    assert main(["exi", "decode"]) == 0
    decoded = capsys.readouterr().out.splitlines()
    assert [json.loads(line).get("name") for line in decoded] == ["PreChargeReq", "supportedAppProtocolRes", None]
    assert json.loads(decoded[2])["error"]["text"]
    monkeypatch.setattr("sys.stdin", io.StringIO(decoded[0] + "\n{}\n"))
    assert main(["exi", "encode"]) == 0
    encoded = capsys.readouterr().out.splitlines()
    assert encoded[0] == digits
    assert encoded[1].startswith("error: ")


def test_iso_15118_20_goes_both_ways_and_a_payload_type_names_the_schema(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    wanted = {
        "protocol": "ISO15118-20",
        "name": "DC_PreChargeReq",
        "fields": {"EVProcessing": "Ongoing", "EVPresentVoltage": 351.7, "EVTargetVoltage": 400},
        "header": {"SessionID": "0102030405060708", "TimeStamp": 1790000000},
    }
    monkeypatch.setattr("sys.stdin", io.StringIO(json.dumps(wanted) + "\n"))
    assert main(["exi", "encode"]) == 0
    digits = capsys.readouterr().out.strip()
    header = f"01fe8004{len(digits) // 2:08x}"
    monkeypatch.setattr("sys.stdin", io.StringIO(f"{digits}\n{header}{digits}\n"))
    assert main(["exi", "decode", "--protocol", "iso20"]) == 0
    for line in capsys.readouterr().out.splitlines():
        assert json.loads(line) == wanted


def test_a_power_record_under_the_contracts_keys(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rows = "".join(f"{i},{150 if i > 60 else 2.5 * i:.1f},{12 + i // 40}\n" for i in range(1500))
    path = tmp_path / "log.csv"
    path.write_text("# read at: post\nTime (s),Power (kW),SoC (%)\n" + rows)
    known = tmp_path / "known.json"
    known.write_text('{"post_kw": 150, "vehicle_kw": 200, "pack_class_v": 400, "colour": "red"}')
    code, out, err = run(capsys, str(path), "--context", str(known), "--json")
    assert code == 0
    assert "colour" in err
    seen = json.loads(out)
    assert seen["files"] == [{"name": "log.csv", "kind": "power", "format": "power-csv"}]
    power = seen["power"]
    assert set(power) >= {
        "samples",
        "energy_kwh",
        "peak_kw",
        "average_kw",
        "source",
        "windows",
        "limiters",
        "verdict",
        "by",
    }
    assert (power["source"], power["verdict"], power["by"]) == ("post", "normal", "none")
    held = [entry["limiter"] for entry in power["limiters"]]
    assert held[-1] == "evse_power"
    assert {"start_s", "end_s", "minutes", "shortfall_kwh", "confidence"} <= set(power["limiters"][0])
    assert {(w["from_soc"], w["to_soc"]) for w in power["windows"]} == {(20, 30), (20, 40), (30, 40)}
    assert {s["stage"]: s["state"] for s in seen["stages"]}["hold"] == "proven"
    code, out, _ = run(capsys, str(path))
    assert "Post's power" in out


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ("{", "no JSON object"),
        ("[1]", "one flat JSON object"),
        ('{"post_kw": -5}', "post_kw"),
        ('{"ac_phases": 7}', "ac_phases"),
    ],
)
def test_a_bad_context_is_one_line(content: str, said: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "c.json"
    path.write_text(content)
    code, _, err = run(capsys, "nothing.csv", "--context", str(path))
    assert code == 2
    assert said in err
    assert len(err.strip().splitlines()) == 1


def test_frames_of_a_long_charge_hold_a_power_record(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "long.pcapng"
    path.write_bytes(pcapng.write(play(Plan(loop_s=260.0)).frames, 1_790_000_000.0))
    seen = json.loads(run(capsys, str(path), "--json")[1])
    assert seen["power"]["source"] == "frames"
    assert seen["power"]["energy_kwh"] > 0.5
    assert seen["power"]["limiters"]


def test_two_parts_of_one_charge_are_one_record(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    def part(name: str, begun: int, soc: int) -> str:
        start = datetime.datetime(2026, 10, 21, 10) + datetime.timedelta(seconds=begun)
        kw = [80 if 20 < i < 380 else 0 for i in range(400)]
        rows = [f"{start + datetime.timedelta(seconds=i)},{kw[i]},{soc + i // 40}" for i in range(400)]
        (tmp_path / name).write_text("Timestamp,Power (kW),SoC (%)\n" + "\n".join(rows) + "\n")
        return str(tmp_path / name)

    seen = json.loads(run(capsys, part("a.csv", 0, 20), part("b.csv", 900, 29), "--json")[1])
    power = seen["power"]
    assert power["energy_kwh"] == pytest.approx(2 * 80 * 360 / 3600, rel=0.01)
    assert "Joined at" in power["notes"][0]
    assert power["verdict"] == "interrupted"
    assert any(w["splices"] for w in power["windows"])


SESSIONS = Path(__file__).parent / "fixtures" / "sessions"


def test_a_key_log_opens_tls_and_a_wrong_or_missing_one_is_one_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    capture, keys = str(SESSIONS / "sealed13_iso20_dc.pcap"), str(SESSIONS / "sealed13_iso20_dc.keys")
    code, out, err = run(capsys, capture, "--keylog", keys, "--json")
    assert (code, err) == (0, "")
    seen = json.loads(out)
    loop = next(m for m in seen["messages"] if m["name"] == "DC_ChargeLoopRes")
    assert (loop["protocol"], loop["from"], loop["response_code"]) == ("ISO15118-20", "evse", "OK")
    assert loop["fields"]["EVSEPresentVoltage"] == 1
    assert json.loads(run(capsys, capture, "--json")[1])["messages"] == []
    for bad in ("gone.keys", str(table(tmp_path))):
        code, out, err = run(capsys, capture, "--keylog", bad)
        assert (code, out, err.count("\n")) == (2, "", 1)


def test_a_log_of_a_bus_is_named_by_its_description(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    log, dbc = tmp_path / "van.log", tmp_path / "inlet.dbc"
    log.write_bytes(bus.retrofit("pin_open"))
    dbc.write_bytes(bus.dbc())
    seen = json.loads(run(capsys, str(log), "--dbc", str(dbc), "--json")[1])
    assert seen["files"] == [{"name": "van.log", "kind": "can", "format": "can-log"}]
    assert {s["role"] for s in seen["signals"]} >= {"pack_v", "inlet_v", "amps", "asked_a"}
    assert seen["outcome"] == "dropped_out"
    text = run(capsys, str(log), "--dbc", str(dbc))[1]
    assert "INLET_Measured.PackVoltage" in text
    role = "INLET_Measured.InletVoltage=pack_v"
    seen = json.loads(run(capsys, str(log), "--dbc", str(dbc), "--role", role, "--json")[1])
    assert {s["name"]: s["role"] for s in seen["signals"]}["INLET_Measured.InletVoltage"] == "pack_v"
    code, _, err = run(capsys, str(log), "--dbc", str(log))
    assert code == 2
    assert "no description of a bus" in err


def test_a_factor_makes_amperes_of_a_clamp_s_volts(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    t = np.arange(8000) / 2000.0
    clamp = np.where((t > 1) & (t < 3), 0.226 * np.sin(2 * np.pi * 50 * t), 0.0)
    path = tmp_path / "clamp.csv"
    path.write_text("t,CP (V),I L1 (V)\n" + "".join(f"{a:.5f},6.0,{b:.4f}\n" for a, b in zip(t, clamp, strict=True)))
    assert "how many amperes one is, is not told" in run(capsys, str(path))[1]
    assert "16.0 A on 1 phase" in run(capsys, str(path), "--factor", "I L1=100")[1]
    for wrong in ("I L1", "I L1=x", "=2", "I L1=-1"):
        code, _, err = run(capsys, str(path), "--factor", wrong)
        assert (code, err.count("\n")) == (2, 1)


def test_who_reads_only_the_first_lines_is_no_trouble(tmp_path: Path) -> None:
    command = [sys.executable, "-m", "gladwire.cli", "inspect", str(table(tmp_path)), "--json"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as told:
        assert told.stdout is not None
        assert told.stderr is not None
        told.stdout.close()
        trouble = told.stderr.read()
    assert (told.returncode, trouble) == (141, b"")
