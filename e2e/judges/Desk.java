import java.util.Collections;
import java.util.List;
import javax.xml.datatype.DatatypeFactory;
import javax.xml.datatype.XMLGregorianCalendar;
import javax.xml.ws.BindingProvider;
import javax.xml.ws.Holder;
import javax.xml.ws.WebServiceFeature;
import javax.xml.ws.handler.MessageContext;
import javax.xml.ws.soap.AddressingFeature;
import skerry.desk.*;

/** Calls every operation and fault of the customs desk with classes made of the served contract alone, in
 * both versions of SOAP, with and without WS-Addressing. */
public class Desk {
    public static void main(String[] arguments) throws Exception {
        CustomsDesk_Service service = new CustomsDesk_Service(new java.net.URL(arguments[0]));
        for (boolean addressed : new boolean[] {false, true}) {
            WebServiceFeature[] features = {new AddressingFeature(addressed)};
            call("1.1", addressed, service.getDesk(features));
            call("1.2", addressed, service.getDesk12(features));
        }
    }

    static void call(String version, boolean addressed, CustomsDesk desk) throws Exception {
        String how = " " + version + (addressed ? " addressed" : "");
        Holder<String> manifest = new Holder<>("M-2041-SK");
        Holder<XMLGregorianCalendar> cleared = new Holder<>();
        Holder<Hold> hold = new Holder<>();
        desk.askClearance(manifest, cleared, hold);
        must("M-2041-SK".equals(manifest.value), "the manifest is " + manifest.value);
        must((cleared.value == null) != (hold.value == null), "it is cleared or held");
        System.out.println("askClearance" + how);

        Vessel vessel = new Vessel();
        vessel.setName("Grey Gannet");
        vessel.setCallSign("SKQ41");
        CargoItem item = new CargoItem();
        item.setLine(java.math.BigInteger.ONE);
        item.setKind(CargoKind.FISH);
        item.setDescription("Herring");
        item.setPieces(40);
        item.setWeight(new java.math.BigDecimal("820.5"));
        Holder<XMLGregorianCalendar> received = new Holder<>();
        Holder<Money> dues = new Holder<>();
        XMLGregorianCalendar arrival = DatatypeFactory.newInstance().newXMLGregorianCalendar("2026-12-01T06:30:00Z");
        desk.submitManifest(vessel, arrival, Collections.singletonList(item), null, manifest, received, dues);
        must(received.value != null && dues.value.getCurrency() != null, "what came is whole");
        System.out.println("submitManifest" + how);

        Holder<List<Hold>> holds = new Holder<>();
        desk.listHolds(new Holder<>(Pier.NORTH), holds);
        System.out.println("listHolds" + how);
        desk.cancelManifest("M-2042-SK", "called off");
        System.out.println("cancelManifest" + how);

        ((BindingProvider) desk).getRequestContext().put(MessageContext.HTTP_REQUEST_HEADERS,
            Collections.singletonMap("Rapid-Mimic", Collections.singletonList("example=\"unknownManifest\"")));
        try {
            desk.askClearance(manifest, cleared, hold);
            must(false, "no fault came");
        } catch (UnknownManifestFault fault) {
            must(fault.getFaultInfo().getManifest() != null, "its detail is there");
            System.out.println("unknownManifest" + how);
        }
    }

    static void must(boolean holds, String what) {
        if (!holds) throw new AssertionError(what);
    }
}
