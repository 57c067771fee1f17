import javax.xml.ws.soap.MTOMFeature;
import skerry.photos.*;

/** Sends bytes and gets some, in their places and by MTOM. */
public class Photo {
    public static void main(String[] arguments) throws Exception {
        PhotoDesk service = new PhotoDesk(new java.net.URL(arguments[0]));
        for (boolean packed : new boolean[] {false, true}) {
            Photos desk = service.getPhotos(new MTOMFeature(packed, 0));
            byte[] photo = desk.picture("N7", new byte[] {0, 1, 2, (byte) 255, 13, 10});
            if (photo == null) throw new AssertionError("no photo came");
            System.out.println(packed ? "packed" : "inline");
        }
    }
}
