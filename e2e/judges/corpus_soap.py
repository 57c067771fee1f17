"""Reads contracts with a SOAP client that shares no code with ours, and has it read answers of their
operations. Each line of the input names a contract and its answers, each of the output tells of one."""
import json
import logging
import os
import sys
import tempfile
import urllib.parse
import warnings

import zeep
from lxml import etree

warnings.simplefilter("ignore")
logging.disable(logging.CRITICAL)


class Reply:
    """An answer as the client expects it from the network."""

    def __init__(self, given):
        self.status_code, self.content, self.encoding = given["status"], given["body"].encode(), "utf-8"
        self.headers = {"Content-Type": given["type"]}
        self.text = given["body"]


XS = "{http://www.w3.org/2001/XMLSchema}"
WSDL = "{http://schemas.xmlsoap.org/wsdl/}"
BODIES = ("{http://schemas.xmlsoap.org/soap/envelope/}Body", "{http://www.w3.org/2003/05/soap-envelope}Body")
PARSER = etree.XMLParser(no_network=True, resolve_entities=False)


class Schemas:
    """The schemas of a contract as libxml2 reads them."""

    def __init__(self, contract):
        self.folder = tempfile.TemporaryDirectory()
        self.by_space, self.seen, self.wrappers = {}, set(), set()
        self.take(os.path.abspath(contract))
        # schemas within contracts name each other by namespace alone: each gets one file that has all of it
        for space, files in self.by_space.items():
            whole = etree.Element(XS + "schema", nsmap={"xs": XS[1:-1]})
            if space:
                whole.set("targetNamespace", space)
            for file in files:
                etree.SubElement(whole, XS + "include", schemaLocation=file)
            etree.ElementTree(whole).write(self.whole(space))
        top = etree.Element(XS + "schema", nsmap={"xs": XS[1:-1]})
        for space in self.by_space:
            if space:
                etree.SubElement(top, XS + "import", schemaLocation=self.whole(space), namespace=space)
            else:
                etree.SubElement(top, XS + "include", schemaLocation=self.whole(space))
        self.schema = etree.XMLSchema(etree.ElementTree(top))
        self.declared = {
            "{%s}%s" % (space, e.get("name")) if space else e.get("name")
            for space, files in self.by_space.items() for file in files for e in etree.parse(file, PARSER).getroot().iterchildren(XS + "element")
        }

    def whole(self, space):
        return os.path.join(self.folder.name, "space%d.xsd" % sorted(self.by_space).index(space))

    def take(self, path):
        if path in self.seen or not os.path.exists(path):
            return
        self.seen.add(path)
        root = etree.parse(path, PARSER).getroot()
        for binding in root.iter(WSDL + "binding"):
            for operation in binding.iterchildren(WSDL + "operation"):
                styles = [e.get("style") for part in (binding, operation) for e in part if e.get("style")]
                if styles and styles[-1] == "rpc":  # whose elements no schema declares
                    self.wrappers.update({operation.get("name"), operation.get("name") + "Response"})
        for found in root.iterfind(".//" + WSDL + "import"):
            self.follow(path, found.get("location"))
        for schema in [root] if root.tag == XS + "schema" else root.iterfind(".//" + XS + "schema"):
            for part in list(schema):
                if part.tag in (XS + "import", XS + "include"):
                    self.follow(path, part.get("schemaLocation"))
                    if part.tag == XS + "include" or not part.get("namespace") and not schema.get("targetNamespace"):
                        schema.remove(part)
                    elif "schemaLocation" in part.attrib:
                        del part.attrib["schemaLocation"]
            self.keep(schema)

    def follow(self, path, location):
        if location and "://" not in location:
            self.take(os.path.normpath(os.path.join(os.path.dirname(path), urllib.parse.unquote(location))))

    def keep(self, schema):
        file = os.path.join(self.folder.name, "part%d.xsd" % sum(map(len, self.by_space.values())))
        with open(file, "wb") as out:
            out.write(etree.tostring(schema, with_tail=False))
        self.by_space.setdefault(schema.get("targetNamespace", ""), []).append(file)


def held_against_schema(given, told):
    try:
        schemas = Schemas(given["contract"])
    except Exception as error:  # likewise
        told["withoutSchema"] = str(error)[:200]
        return
    for reply in given["replies"]:
        try:
            root = etree.fromstring(reply["body"].encode(), PARSER)
        except etree.XMLSyntaxError as error:
            told["invalid"].append("%s: %s" % (reply["operation"], error))
            continue
        for body in root.iterchildren(*BODIES):
            for element in body:
                if element.tag not in schemas.declared or etree.QName(element).localname in schemas.wrappers:
                    continue
                alone = etree.fromstring(etree.tostring(element, with_tail=False))
                if schemas.schema.validate(alone):
                    told["valid"] += 1
                else:
                    told["invalid"].append("%s at %s: %s" % (reply["operation"], reply["port"], schemas.schema.error_log[0].message[:250]))


def judged(given):
    told = {"valid": 0, "invalid": []}
    held_against_schema(given, told)
    understood(given, told)
    return told


def understood(given, told):
    try:
        client = zeep.Client(given["contract"])
    except Exception as error:  # whatever it cannot read, it cannot judge
        told["unread"] = str(error)[:200]
        return
    told.update(understood=0, unjudged=0, wrong=[])
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


for line in sys.stdin:
    print(json.dumps(judged(json.loads(line))), flush=True)
