"""Reads the attachments that an answer has beside its message."""
import sys

import requests
import zeep
from lxml import etree
from requests_toolbelt.multipart.decoder import MultipartDecoder
from zeep.wsdl.attachments import MessagePack

address = sys.argv[1]
client = zeep.Client(address + "?wsdl")
message = client.create_message(client.service, "list", berth="N7")
answer = requests.post(address + "/Sketches", data=etree.tostring(message), headers={"Content-Type": "text/xml; charset=utf-8"})
answer.raise_for_status()
pack = MessagePack(MultipartDecoder(answer.content, answer.headers["Content-Type"]).parts)
for part in pack.attachments:
    print(part.content_id, part.content_type, len(part.content) > 0)
