"""Reads contracts with a SOAP client that shares no code with ours, and has it read answers of their
operations. Each line of the input names a contract and its answers, each of the output tells of one."""
import json
import logging
import sys
import warnings

import zeep

warnings.simplefilter("ignore")
logging.disable(logging.CRITICAL)


class Reply:
    """An answer as the client expects it from the network."""

    def __init__(self, given):
        self.status_code, self.content, self.encoding = given["status"], given["body"].encode(), "utf-8"
        self.headers = {"Content-Type": given["type"]}
        self.text = given["body"]


def judged(given):
    try:
        client = zeep.Client(given["contract"])
    except Exception as error:  # whatever it cannot read, it cannot judge
        return {"unread": str(error)[:200]}
    told = {"understood": 0, "unjudged": 0, "wrong": []}
    ports = {name: port for service in client.wsdl.services.values() for name, port in service.ports.items()}
    for reply in given["replies"]:
        port = ports.get(reply["port"])
        operation = port and port.binding._operations.get(reply["operation"])
        if operation is None:
            told["unjudged"] += 1
            continue
        try:
            port.binding.process_reply(client, operation, Reply(reply))
            told["understood"] += 1
        except (zeep.exceptions.Fault, zeep.exceptions.XMLParseError, zeep.exceptions.ValidationError) as error:
            told["wrong"].append("%s at %s: %s" % (reply["operation"], reply["port"], str(error)[:200]))
        except Exception:  # a failure of its own, such as at bodies that are empty
            told["unjudged"] += 1
    return told


for line in sys.stdin:
    print(json.dumps(judged(json.loads(line))), flush=True)
