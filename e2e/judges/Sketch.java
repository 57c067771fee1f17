import java.awt.image.BufferedImage;
import java.io.*;
import javax.activation.*;
import javax.imageio.ImageIO;
import javax.xml.ws.Holder;
import skerry.sketches.*;

/** Sends attachments that the contract declares, and gets some; and elements that name attachments. */
public class Sketch {
    public static void main(String[] arguments) throws Exception {
        Sketches desk = new SketchDesk(new java.net.URL(arguments[0])).getSketches();
        Draw asked = new Draw();
        asked.setBerth("N7");
        ByteArrayOutputStream photo = new ByteArrayOutputStream();
        ImageIO.write(new BufferedImage(3, 2, BufferedImage.TYPE_INT_RGB), "png", photo);
        Holder<Drawn> body = new Holder<>();
        Holder<DataHandler> chart = new Holder<>();
        Holder<DataHandler> remark = new Holder<>();
        desk.draw(asked, file("image/png", photo.toByteArray()), body, chart, remark);
        BufferedImage drawn = ImageIO.read(chart.value.getInputStream());
        System.out.println("chart " + drawn.getWidth() + "x" + drawn.getHeight());
        System.out.println(remark.value.getContentType() + " " + (remark.value.getInputStream().readAllBytes().length > 0));
        Holder<DataHandler> kept = new Holder<>(file("text/csv", "high,tide".getBytes()));
        desk.keep(kept);
        System.out.println(kept.value.getContentType() + " " + new String(kept.value.getInputStream().readAllBytes()));
    }

    static DataHandler file(String mediaType, byte[] content) {
        return new DataHandler(new DataSource() {
            public String getContentType() { return mediaType; }
            public InputStream getInputStream() { return new ByteArrayInputStream(content); }
            public String getName() { return "file"; }
            public OutputStream getOutputStream() { throw new UnsupportedOperationException(); }
        });
    }
}
