"""Calls the customs desk with WS-Addressing and with the user tokens of WS-Security, as text and as
digest, in both versions of SOAP. The second argument is where answers are to go, else they come back."""
import sys
import time

import zeep
from lxml import etree
from zeep.plugins import HistoryPlugin
from zeep.wsa import WsAddressingPlugin
from zeep.wsse.username import UsernameToken

WSA = "{http://www.w3.org/2005/08/addressing}"

for port in ("Desk", "Desk12"):
    for digest in (False, True):
        history = HistoryPlugin()
        client = zeep.Client(sys.argv[1], plugins=[WsAddressingPlugin(), history],
                             wsse=UsernameToken("mara", "high tide", use_digest=digest))
        desk = client.bind("CustomsDesk", port)
        answer = desk.askClearance(manifest="M-2041-SK")
        assert answer.body.manifest == "M-2041-SK" if hasattr(answer, "body") else answer.manifest == "M-2041-SK", answer
        sent = history.last_sent["envelope"].find(".//" + WSA + "MessageID").text
        came = history.last_received["envelope"]
        assert came.find(".//" + WSA + "RelatesTo").text == sent, etree.tostring(came)
        assert came.find(".//" + WSA + "Action").text.endswith("askClearanceResponse"), etree.tostring(came)
        print("known", port, digest)

        client = zeep.Client(sys.argv[1], wsse=UsernameToken("mara", "low tide", use_digest=digest))
        try:
            client.bind("CustomsDesk", port).askClearance(manifest="M-2041-SK")
            raise AssertionError("no fault came")
        except zeep.exceptions.Fault as error:
            assert "UsernameToken is wrong" in error.message, error.message
        print("refused", port, digest)
