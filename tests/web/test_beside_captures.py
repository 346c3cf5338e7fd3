"""Key logs and descriptions dropped beside captures: what they open and name, and that a secret stays one."""

from __future__ import annotations

import json
import re
import time

from starlette.testclient import TestClient

from gladwire.scenarios import bus, tls

DBC = (bus.DBC_NAME, bus.dbc())


def dropped(client: TestClient, *files: tuple[str, bytes], session: int | None = None) -> str:
    data = {"session": str(session)} if session is not None else {}
    answer = client.post("/captures", files=[("files", file) for file in files], data=data)
    assert answer.status_code == 303, answer.text
    return answer.headers["location"]


def capture_of(page: str) -> int:
    return int(page.split("/captures/")[1].split("/")[0])


def test_a_key_log_dropped_with_its_capture_opens_it_and_removed_closes_it(client: TestClient) -> None:
    frames, keys = ("bus9.pcapng", tls.frames("contract")), ("bus9.keys", tls.keys("contract"))
    address = dropped(client, frames, keys)
    page = client.get(address).text
    assert "Opened with a key log." in page
    assert "Harbour contract leaf" in page
    assert "May I charge, by contract?" in page
    capture = capture_of(page)
    listed = client.get(f"/captures/{capture}/messages", params={"text": "AuthorizationReq"}).text
    assert "AuthorizationReq" in listed
    remove = re.search(r'action="(/sessions/\d+/keylogs/\d+/remove)"', page)
    assert remove
    assert client.post(remove[1]).status_code == 303
    page = client.get(address).text
    assert "<b>Sealed.</b>" in page
    assert "May I charge" not in page
    assert "bus9.keys" not in page
    assert (
        "AuthorizationReq" not in client.get(f"/captures/{capture}/messages", params={"text": "AuthorizationReq"}).text
    )
    assert client.post(remove[1]).status_code == 404


def test_a_key_log_dropped_later_opens_what_is_there(client: TestClient) -> None:
    address = dropped(client, ("car7.pcapng", tls.frames("refused")))
    assert "<b>Sealed.</b>" in client.get(address).text
    number = int(address.rpartition("/")[2])
    assert dropped(client, ("car7.keys", tls.keys("refused")), session=number) == address
    page = client.get(address).text
    assert "The contract was refused" in page
    assert "Contract refused: cancelled, revoked, or not known" in page
    again = dropped(client, ("again.keys", tls.keys("refused")), session=number)
    assert client.get(again).text.count("lines of 1 connection") == 1


def test_secrets_are_in_nothing_that_is_taken_out(client: TestClient) -> None:
    keys = tls.keys("contract")
    address = dropped(client, ("bus9.pcapng", tls.frames("contract")), ("bus9.keys", keys))
    capture = capture_of(client.get(address).text)
    secrets = [line.split()[2] for line in keys.decode().splitlines() if not line.startswith("#")]
    given = [
        client.get(address).text,
        client.get(f"{address}/results.json").text,
        client.get(f"{address}/findings.csv").text,
    ]
    given += [client.get(f"/captures/{capture}/{name}").text for name in
              ("results.json", "messages.jsonl", "messages.csv")]  # fmt: skip
    given.append(client.get(f"/captures/{capture}/original").content.decode("latin-1"))
    for text in given:
        assert not [s for s in secrets if s.lower() in text.lower()]


def test_a_wrong_key_log_says_so_and_a_key_log_alone_is_refused(client: TestClient) -> None:
    other = tls.keys("contract")
    page = client.get(dropped(client, ("car7.pcapng", tls.frames("refused")), ("x.keys", other))).text
    assert "The key log does not open it." in page
    assert "it is of another session" in page
    answer = client.post("/captures", files=[("files", ("x.keys", other))])
    assert answer.status_code == 422
    assert "A key log opens a capture" in answer.text


def test_a_log_without_description_asks_for_it_and_one_dropped_names_it(client: TestClient) -> None:
    address = dropped(client, ("van.log", bus.retrofit("swapped")))
    page = client.get(address).text
    assert "Nothing names it:" in page
    number = int(address.rpartition("/")[2])
    dropped(client, DBC, session=number)
    page = client.get(address).text
    assert "Sensing wires on the wrong sides of the contactors" in page
    assert "What closes when" in page
    # Remembered: the next log needs nothing beside it.
    later = client.get(dropped(client, ("van4.blf", bus.retrofit("hot_pin", "blf")))).text
    assert "DC contact hot" in later


def test_a_description_alone_is_remembered_and_listed(client: TestClient) -> None:
    assert dropped(client, DBC) == "/buses"
    page = client.get("/buses").text
    assert "inlet_controller.dbc" in page
    assert "CHAdeMO connector" in page
    answer = client.post("/captures", files=[("files", ("bad.dbc", b'VERSION ""\nBO_ nonsense\n'))])
    assert answer.status_code == 422
    assert "no description of a bus" in answer.text


def test_roles_settled_once_hold_for_every_log_of_the_bus(client: TestClient) -> None:
    address = dropped(client, ("van.log", bus.retrofit("swapped")), DBC)
    capture = capture_of(client.get(address).text)
    crossed = {
        "signals": ["INLET_Measured.InletVoltage", "INLET_Measured.PackVoltage", "INLET_State.LampState"],
        "roles": ["pack_v", "inlet_v", ""],
        "by_name": "Lea Moen",
    }
    assert client.post(f"/captures/{capture}/signals", data=crossed).status_code == 303
    page = client.get(address).text
    assert "roles settled by Lea Moen" in page
    assert "Sensing wires on the wrong sides" not in page
    earlier = client.get(dropped(client, ("van2.log", bus.retrofit("no_close")))).text
    assert "roles settled by Lea Moen" in earlier
    later = client.get(dropped(client, ("van3.log", bus.retrofit("pin_open")))).text
    assert "roles settled by Lea Moen" in later
    assert "Pack voltage" in client.get("/buses").text
    twice = crossed | {"roles": ["pack_v", "pack_v", ""]}
    assert client.post(f"/captures/{capture}/signals", data=twice).status_code == 422
    unknown = crossed | {"roles": ["nothing", "", ""]}
    assert client.post(f"/captures/{capture}/signals", data=unknown).status_code == 422


def test_a_connector_over_can_needs_no_description(client: TestClient) -> None:
    address = dropped(client, ("adapter.log", bus.connector("hot")))
    page = client.get(address).text
    assert "FaultHighTemperature" in page
    found = json.loads(client.get(f"{address}/results.json").text)
    assert [s["stage"] for s in found["stages"]][3] == "link"


def test_logs_dropped_before_are_named_again_when_roles_or_descriptions_change(client: TestClient) -> None:
    first = dropped(client, ("van.log", bus.retrofit("swapped")))
    assert "Nothing names it:" in client.get(first).text
    second = dropped(client, ("van2.log", bus.retrofit("no_close")), DBC)
    page = settled(client, first)
    assert "Sensing wires on the wrong sides of the contactors" in page
    capture = capture_of(client.get(second).text)
    chosen = {"signals": ["INLET_Measured.PackVoltage"], "roles": ["pack_v"], "by_name": "Lea Moen"}
    assert client.post(f"/captures/{capture}/signals", data=chosen).status_code == 303
    page = settled(client, first)
    assert "roles settled by Lea Moen" in page
    lanes = json.loads(page.split('id="lane-data">')[1].split("</script>")[0])["lanes"]
    assert lanes[0]["name"] == "Pack voltage: PackVoltage"
    again = client.post("/captures", files=[("files", (DBC[0], DBC[1] + b"\n"))])
    assert again.status_code == 303
    assert "inlet_controller.dbc (2)" in client.get("/buses").text


def settled(client: TestClient, address: str) -> str:
    """The page once nothing waits any more."""
    for _ in range(100):
        page = client.get(address).text
        if "The page follows by itself" not in page:
            return page
        time.sleep(0.05)
    raise AssertionError("still waiting")
