"""Derives the compact EXI grammar data of `gladwire/core/plc/exi/grammars/` from the public V2G schemas.

Run in a throw-away environment that holds the packages named in README.md beside this file:

    python derive_grammars.py SCHEMA_FOLDER OUTPUT_FOLDER

SCHEMA_FOLDER is `iso15118/shared/schemas` of that environment. Nothing of the schemas' text is copied; what comes out is
what the EXI specification (W3C Efficient XML Interchange 1.0, second edition, sections 7 and 8.5) needs to code a
document: names, occurrence counts, value types and their bounds.
"""

import json
import sys
from pathlib import Path

import xmlschema
from xmlschema.validators import XsdAnyElement, XsdElement, XsdGroup

XSD = "{http://www.w3.org/2001/XMLSchema}"
PROTOCOLS = {
    "sap": ("SAP", "V2G_CI_AppProtocol.xsd"),
    "din": ("DIN70121", "din_spec/V2G_CI_MsgDef.xsd"),
    "iso2": ("ISO15118-2", "iso15118_2/V2G_CI_MsgDef.xsd"),
    "iso20": ("ISO15118-20", "iso15118_20/V2G_CI_CommonMessages.xsd"),
    "iso20_dc": ("ISO15118-20", "iso15118_20/V2G_CI_DC.xsd"),
    "iso20_ac": ("ISO15118-20", "iso15118_20/V2G_CI_AC.xsd"),
    "iso20_wpt": ("ISO15118-20", "iso15118_20/V2G_CI_WPT.xsd"),
    "iso20_acdp": ("ISO15118-20", "iso15118_20/V2G_CI_ACDP.xsd"),
}
W3C = (
    "http://www.w3.org/2001/XMLSchema",
    "http://www.w3.org/2001/XMLSchema-instance",
    "http://www.w3.org/XML/1998/namespace",
)
NUMBER_OF_VALUES_AS_BITS = 4096
PHYSICAL = ("PhysicalValueType", "RationalNumberType")


def split(qname: str) -> tuple[str, str]:
    uri, _, local = qname[1:].rpartition("}") if qname.startswith("{") else ("", "", qname)
    return uri, local


class Derivation:
    def __init__(self, path: Path) -> None:
        self.schema = xmlschema.XMLSchema(str(path))
        self.uris = sorted(set(self.schema.maps.namespaces) - {"", *W3C})
        self.types: list[dict] = []
        self.known: dict[int, int] = {}

    def uri(self, uri: str) -> int:
        return self.uris.index(uri) if uri else -1

    # simple types ---------------------------------------------------------------------------------------------------
    def simple(self, xsd_type) -> list:
        if xsd_type.is_list():
            return ["list", self.simple(xsd_type.item_type)]
        if getattr(xsd_type, "member_types", None):
            return ["string"]
        if xsd_type.enumeration and xsd_type.primitive_type.name not in (XSD + "boolean",):
            return ["enum", [str(v) for v in xsd_type.enumeration]]
        if getattr(xsd_type, "patterns", None):
            # EXI 1.0 section 7.1.10.1: a pattern may restrict the characters. No V2G schema declares one; the patterns
            # met here are those built into XML Schema's own names, which allow more than 255 characters.
            assert all(p.startswith(XSD) or "\\i" in p or "\\c" in p for p in xsd_type.patterns.regexps), xsd_type
        primitive = split(xsd_type.primitive_type.name)[1] if xsd_type.primitive_type else "string"
        if self.derives_from(xsd_type, "integer"):
            low, high = xsd_type.min_value, xsd_type.max_value
            if low is not None and high is not None and high - low + 1 <= NUMBER_OF_VALUES_AS_BITS:
                return ["bits", int(low), (int(high - low)).bit_length()]
            return ["uint"] if low is not None and low >= 0 else ["int"]
        named = {"boolean": ["bool"], "hexBinary": ["hex"], "base64Binary": ["base64"], "decimal": ["decimal"],
                 "float": ["float"], "double": ["float"]}  # fmt: skip
        return named.get(primitive, ["string"])

    @staticmethod
    def derives_from(xsd_type, local: str) -> bool:
        while xsd_type is not None and xsd_type.name != XSD + "anySimpleType":
            if xsd_type.name == XSD + local:
                return True
            xsd_type = xsd_type.base_type
        return False

    # complex types --------------------------------------------------------------------------------------------------
    def type(self, xsd_type) -> int:
        key = id(xsd_type)
        if key in self.known:
            return self.known[key]
        number = self.known[key] = len(self.types)
        entry: dict = {}
        self.types.append(entry)
        if xsd_type.name:
            entry["name"] = split(xsd_type.name)[1]
        if xsd_type.is_simple():
            entry["value"] = self.simple(xsd_type)
            return number
        attributes = [a for name, a in xsd_type.attributes.items() if name is not None]
        assert None not in xsd_type.attributes, "an attribute wildcard would need AT(*)"
        if attributes:
            entry["attributes"] = [
                [split(a.name)[1], self.uri(split(a.name)[0]), self.simple(a.type), int(a.use == "required")]
                for a in sorted(attributes, key=lambda a: split(a.name)[::-1])
            ]
        if xsd_type.has_simple_content():
            entry["value"] = self.simple(xsd_type.content)
        else:
            content = self.particle(xsd_type.content)
            if content is not None:
                entry["content"] = content
            if xsd_type.mixed:
                entry["mixed"] = 1
        if entry.get("name") in PHYSICAL:
            entry["physical"] = 1
        return number

    def particle(self, item):
        low, high = item.min_occurs, item.max_occurs
        occurs = [] if (low, high) == (1, 1) else [low, -1 if high is None else high]
        if isinstance(item, XsdGroup):
            parts = [p for p in (self.particle(child) for child in item) if p is not None]
            if not parts:
                return None
            return [{"sequence": "seq", "choice": "alt"}[item.model], parts, *occurs]
        if isinstance(item, XsdAnyElement):
            namespaces = list(item.namespace)
            return ["any", namespaces, *occurs]
        assert isinstance(item, XsdElement), item
        members = self.members(item)
        if len(members) == 1:
            return [*self.element(members[0]), *occurs]
        return ["alt", [self.element(m) for m in members], *occurs]

    def members(self, item) -> list:
        """The elements that may stand for one, its substitution group included, as section 8.5.4.1.6 sorts them."""
        found, todo = {}, [item.name]
        if item.ref is not None:
            while todo:
                name = todo.pop()
                if name not in found:
                    found[name] = self.schema.maps.elements[name]
                    todo += [e.name for e in self.schema.maps.substitution_groups.get(name, ())]
        if not found:
            return [item]
        return sorted(found.values(), key=lambda e: split(e.name)[::-1])

    def element(self, item) -> list:
        uri, local = split(item.name)
        return ["el", local, self.uri(uri), self.type(item.type)]

    def document(self, key: str) -> dict:
        names = [q for q in self.schema.maps.elements if split(q)[0] not in W3C]
        elements = [self.schema.maps.elements[q] for q in sorted(names, key=lambda q: split(q)[::-1])]
        globals_ = [self.element(e)[1:] for e in elements]
        return {"protocol": key, "uris": self.uris, "globals": globals_, "types": self.types}


def main(schemas: Path, output: Path) -> None:
    for key, (protocol, file) in PROTOCOLS.items():
        document = Derivation(schemas / file).document(protocol)
        rows = [
            f' "{k}": ' + json.dumps(v, separators=(",", ":"))
            for k, v in document.items()
            if k not in ("types", "globals")
        ]
        for k in ("globals", "types"):
            lines = ",\n  ".join(json.dumps(v, separators=(",", ":")) for v in document[k])
            rows.append(f' "{k}": [\n  {lines}\n ]')
        (output / f"{key}.json").write_text("{\n" + ",\n".join(rows) + "\n}\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
