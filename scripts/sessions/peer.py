"""One side of a session: the post or the vehicle of the package `iso15118`, with a fault if one is named.

python peer.py secc IFACE [FAULT]      python peer.py evcc IFACE PROTOCOL MODE [FAULT]

A fault that begins with "real:" is of a post and a vehicle whose figures fit each other: 500 V, 125 A; a pack at 400 V that
asks for 80 A. They may stop, die or lose their line in the loop as processes do (frozen, killed, line).

SEAL=1.2 or 1.3 seals the session; SSLKEYLOGFILE then names the file its keys are written to, PKI_PATH where the
certificates are. SUITE names the one cipher suite of TLS 1.2, else the package's own choice.
"""

import asyncio
import json
import os
import sys
import tempfile

os.environ.setdefault("PKI_PATH", tempfile.mkdtemp())
SEAL, SUITE = os.environ.get("SEAL", ""), os.environ.get("SUITE", "")
if SEAL == "1.3":
    os.environ["ENABLE_TLS_1_3"] = "true"


def _keep_keys() -> None:
    """Has both sides' contexts write their keys down."""
    import iso15118.evcc.transport.tcp_client as client
    import iso15118.secc.transport.tcp_server as server
    from iso15118.shared import security

    made = security.get_ssl_context

    def kept(server_side: bool):
        context = made(server_side)
        if context is not None and os.environ.get("SSLKEYLOGFILE"):
            context.keylog_filename = os.environ["SSLKEYLOGFILE"]
        if context is not None and SUITE:
            context.set_ciphers(SUITE)
        return context

    for module in (security, client, server):
        if hasattr(module, "get_ssl_context"):
            module.get_ssl_context = kept


def _patient() -> None:
    """The vehicle waits 2 s for an answer in the loop: the codec alone takes longer than its usual quarter."""
    from types import SimpleNamespace

    from iso15118.evcc.states import din_spec_states, iso15118_2_states

    for module in (din_spec_states, iso15118_2_states):
        usual = {key: value for key, value in vars(module.Timeouts).items() if not key.startswith("__")}
        waits = {**usual, "CURRENT_DEMAND_REQ": 2, "POWER_DELIVERY_REQ": 2, "PRE_CHARGE_REQ": 2}
        module.Timeouts = SimpleNamespace(**waits)


async def secc(iface: str, fault: str) -> None:
    from iso15118.secc import SECCHandler
    from iso15118.secc.controller.interface import ServiceStatus
    from iso15118.secc.controller.simulator import SimEVSEController
    from iso15118.secc.secc_settings import Config
    from iso15118.shared.exificient_exi_codec import ExificientEXICodec
    from iso15118.shared.messages.datatypes import DCEVSEStatus, DCEVSEStatusCode, EVSENotification
    from iso15118.shared.messages.enums import AuthorizationStatus, IsolationLevel

    class Post(SimEVSEController):
        loops = 0

        async def is_authorized(self, *args, **kwargs):
            answer = await super().is_authorized(*args, **kwargs)
            if fault == "refused":
                answer.authorization_status = AuthorizationStatus.REJECTED
            if fault == "never_decides":
                answer.authorization_status = AuthorizationStatus.ONGOING
            return answer

        async def get_cable_check_status(self):
            if fault == "insulation_fault":
                return IsolationLevel.FAULT
            if fault == "insulation_hangs":
                return None
            return IsolationLevel.VALID

        async def get_dc_evse_status(self):
            Post.loops += 1
            if fault == "emergency" and Post.loops > 12:
                return DCEVSEStatus(
                    evse_notification=EVSENotification.STOP_CHARGING,
                    notification_max_delay=0,
                    evse_isolation_status=IsolationLevel.VALID,
                    evse_status_code=DCEVSEStatusCode.EVSE_EMERGENCY_SHUTDOWN,
                )
            return await super().get_dc_evse_status()

    config = Config()
    config.load_envs()
    config.iface = iface
    post = Post()
    if fault.startswith("real:"):
        from figures import PostOfFigures

        post = PostOfFigures()
        post.fault, post.iface = fault[5:], iface
    await post.set_status(ServiceStatus.STARTING)
    await SECCHandler(exi_codec=ExificientEXICodec(), evse_controller=post, config=config).start(iface)


async def evcc(iface: str, protocol: str, mode: str, fault: str) -> None:
    from iso15118.evcc import EVCCHandler
    from iso15118.evcc.controller.simulator import SimEVController
    from iso15118.evcc.evcc_config import load_from_file
    from iso15118.shared.exificient_exi_codec import ExificientEXICodec
    from iso15118.shared.settings import load_shared_settings

    wanted = {
        "supportedProtocols": [protocol],
        "supportedEnergyServices": [mode],
        "isCertInstallNeeded": fault == "install",
        "useTls": bool(SEAL),
        "chargeLoopCycle": 40 if fault.startswith("real:") else 20,
        "energyTransferMode": "DC_extended" if mode.startswith("DC") else "AC_three_phase_core",
    }
    load_shared_settings()
    path = os.path.join(tempfile.mkdtemp(), "ev.json")
    with open(path, "w") as file:
        json.dump(wanted, file)
    config = await load_from_file(path)
    vehicle = SimEVController(config)
    if fault.startswith("real:"):
        from figures import VehicleOfFigures

        vehicle = VehicleOfFigures(config)
        vehicle.fault, vehicle.iface = fault[5:], iface
        _patient()
    handler = EVCCHandler(evcc_config=config, iface=iface, exi_codec=ExificientEXICodec(), ev_controller=vehicle)
    await handler.start()


if __name__ == "__main__":
    _keep_keys()
    side, iface, *rest = sys.argv[1:]
    rest += [""] * 3
    asyncio.run(secc(iface, rest[0]) if side == "secc" else evcc(iface, *rest[:3]))
