"""Calls every operation and fault of the customs desk with a SOAP client that
knows nothing but the served WSDL, in both versions of SOAP."""
import sys

import requests
import zeep
from zeep.transports import Transport

wsdl = sys.argv[1]
session = requests.Session()
client = zeep.Client(wsdl, transport=Transport(session=session))
cargo = [{"line": 1, "kind": "fish", "description": "Herring", "pieces": 40, "weight": "820.5"}]

for version, port in ((11, "Desk"), (12, "Desk12")):
    desk = client.bind("CustomsDesk", port)
    calls = {
        "submitManifest": lambda: desk.submitManifest(
            vessel={"name": "Grey Gannet", "callSign": "SKQ41"}, arrival="2026-12-01T06:30:00Z", cargo=cargo,
            _soapheaders={"office": {"name": "Pier office"}}),
        "askClearance": lambda: desk.askClearance(manifest="M-2041-SK"),
        "listHolds": lambda: desk.listHolds(pier="north"),
        "cancelManifest": lambda: desk.cancelManifest(manifest="M-2042-SK", reason="called off"),
    }
    for name, call in calls.items():
        answer = call()
        if name == "askClearance":
            assert answer.manifest == "M-2041-SK", answer
            assert (answer.cleared is None) != (answer.hold is None), answer
        if name == "submitManifest":
            assert answer.dues.currency in ("EUR", "GBP", "NOK"), answer
        print(name, version)
    for name, fault in (("submitManifest", "cargoRefused"), ("askClearance", "unknownManifest")):
        session.headers["Rapid-Mimic"] = 'example="%s"' % fault
        try:
            calls[name]()
            raise AssertionError("no fault came")
        except zeep.exceptions.Fault as error:
            assert error.detail[0].tag.endswith("}" + fault), error.detail
        del session.headers["Rapid-Mimic"]
        print(fault, version)
