"""Reads an answer by MTOM, which the call accepts, and the same one without."""
import sys

import requests
import zeep
from zeep.transports import Transport

for accepts in ("application/xop+xml", "text/xml"):
    session = requests.Session()
    session.headers["Accept"] = accepts
    kinds = []
    session.hooks["response"].append(lambda r, *_, **__: kinds.append(r.headers["Content-Type"]))
    client = zeep.Client(sys.argv[1], transport=Transport(session=session))
    answer = client.service.picture(berth="N7")
    photo = getattr(answer, "photo", answer)
    assert photo == b"\x89PNG\r\n\x1a\n\x00\xff", photo
    print(kinds[-1].split(";")[0])
