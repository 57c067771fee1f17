// Calls every operation of the customs desk and one of its faults with code that gSOAP makes of the
// served contract alone; in one version of SOAP, which is that of the code.
#include "Desk11.nsmap"
#include "soapDesk11Proxy.h"

#include <iostream>
#include <string>

static void must(bool holds, const std::string &what) {
    if (holds) return;
    std::cerr << what << std::endl;
    exit(1);
}

int main(int, char **arguments) {
    Desk11Proxy desk(arguments[1], SOAP_C_UTFSTRING);
    auto done = [&](const std::string &what, int fault) {
        must(fault == SOAP_OK, what + ": " + (desk.soap_fault_string() ? desk.soap_fault_string() : std::to_string(fault)));
        std::cout << what << std::endl;
    };

    _ns2__askClearance ask;
    ask.manifest = "M-2041-SK";
    _ns2__askClearanceResponse asked;
    done("askClearance", desk.askClearance(&ask, asked));
    must(asked.manifest == ask.manifest, "the manifest is " + asked.manifest);

    ns2__Vessel vessel;
    vessel.name = "Grey Gannet";
    vessel.callSign = "SKQ41";
    ns2__CargoItem item;
    item.line = "1";
    item.kind = ns2__CargoKind__fish;
    item.description = "Herring";
    item.pieces = 40;
    item.weight = "820.5";
    _ns2__submitManifest submit;
    submit.vessel = &vessel;
    submit.arrival = 1796106600;
    submit.cargo.push_back(&item);
    _ns2__submitManifestResponse submitted;
    done("submitManifest", desk.submitManifest(&submit, submitted));
    must(submitted.received != 0 && submitted.dues && !submitted.dues->__item.empty(), "what came is whole");

    ns2__Pier pier = ns2__Pier__north;
    _ns2__listHolds list;
    list.pier = &pier;
    _ns2__listHoldsResponse listed;
    done("listHolds", desk.listHolds(&list, listed));

    _ns2__cancelManifest cancel;
    cancel.manifest = "M-2042-SK";
    std::string reason = "called off";
    cancel.reason = &reason;
    done("cancelManifest", desk.cancelManifest(&cancel));

    desk.soap->http_extra_header = "Rapid-Mimic: example=\"unknownManifest\"";
    must(desk.askClearance(&ask, asked) != SOAP_OK, "no fault came");
    SOAP_ENV__Fault *fault = desk.soap_fault();
    SOAP_ENV__Detail *detail = fault->detail ? fault->detail : fault->SOAP_ENV__Detail;
    must(detail && detail->ns2__unknownManifest && !detail->ns2__unknownManifest->manifest.empty(), "the fault has no detail");
    std::cout << "unknownManifest" << std::endl;
}
