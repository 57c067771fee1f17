package sample

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"strings"
	"time"
)

// files make the smallest things that are of a media type and can be opened, by the media type. Each
// draws what it shows, so that two are not the same.
var files = map[string]func(*Draw) []byte{
	"image/png": func(d *Draw) []byte { return encoded(func(b *bytes.Buffer) error { return png.Encode(b, picture(d)) }) },
	"image/jpeg": func(d *Draw) []byte {
		return encoded(func(b *bytes.Buffer) error { return jpeg.Encode(b, picture(d), nil) })
	},
	"image/gif": func(d *Draw) []byte {
		return encoded(func(b *bytes.Buffer) error { return gif.Encode(b, picture(d), nil) })
	},
	"image/bmp":                bitmap,
	"image/svg+xml":            vector,
	"application/pdf":          portable,
	"application/zip":          archive,
	"application/gzip":         compressed,
	"audio/wav":                sound,
	"application/octet-stream": func(d *Draw) []byte { return d.bytes(64) },
}

// sameFiles are other names of media types.
var sameFiles = map[string]string{
	"image/jpg": "image/jpeg", "image/pjpeg": "image/jpeg", "image/x-png": "image/png", "image/x-ms-bmp": "image/bmp", "image/svg": "image/svg+xml",
	"application/x-pdf": "application/pdf", "application/x-zip-compressed": "application/zip", "application/x-gzip": "application/gzip",
	"audio/x-wav": "audio/wav", "audio/wave": "audio/wav", "audio/vnd.wave": "audio/wav", "binary/octet-stream": "application/octet-stream",
}

// ranges are the media types that stand for a range.
var ranges = map[string]string{"image/*": "image/png", "audio/*": "audio/wav", "text/*": "text/plain"}

// OfRange is a media type of a range, such as image/*; what has none is JSON.
func OfRange(mediaType string) string {
	if !strings.Contains(mediaType, "*") {
		return mediaType
	}
	if one := ranges[mediaType]; one != "" {
		return one
	}
	return "application/json"
}

// HasFile reports whether a file of a media type can be made.
func HasFile(mediaType string) bool { return fileOf(mediaType) != nil }

func fileOf(mediaType string) func(*Draw) []byte {
	base, _, _ := strings.Cut(strings.ToLower(mediaType), ";")
	base = strings.TrimSpace(base)
	if same := sameFiles[base]; same != "" {
		base = same
	}
	return files[base]
}

// File is a small file of a media type; nil where none can be made.
func (d *Draw) File(mediaType string) []byte {
	if make := fileOf(mediaType); make != nil {
		return make(d)
	}
	return nil
}

func (d *Draw) bytes(n int) []byte {
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(d.Whole(0, 255))
	}
	return b
}

func encoded(write func(*bytes.Buffer) error) []byte {
	var b bytes.Buffer
	_ = write(&b) // a buffer takes everything
	return b.Bytes()
}

func (d *Draw) colour() color.RGBA {
	c := d.bytes(3)
	return color.RGBA{c[0], c[1], c[2], 255}
}

// picture is a flag of two colours.
func picture(d *Draw) *image.Paletted {
	p := image.NewPaletted(image.Rect(0, 0, 16, 12), color.Palette{d.colour(), d.colour()})
	for y := 6; y < 12; y++ {
		for x := range 16 {
			p.SetColorIndex(x, y, 1)
		}
	}
	return p
}

func bitmap(d *Draw) []byte {
	const side = 4
	c := d.colour()
	b := []byte("BM")
	for _, n := range []uint32{54 + side*side*3, 0, 54, 40, side, side, 1 | 24<<16, 0, side * side * 3, 2835, 2835, 0, 0} {
		b = binary.LittleEndian.AppendUint32(b, n)
	}
	return append(b, bytes.Repeat([]byte{c.B, c.G, c.R}, side*side)...)
}

func vector(d *Draw) []byte {
	upper, lower := d.colour(), d.colour()
	return fmt.Appendf(nil, `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="16" height="12"><rect width="16" height="6" fill="#%02x%02x%02x"/><rect y="6" width="16" height="6" fill="#%02x%02x%02x"/></svg>
`, upper.R, upper.G, upper.B, lower.R, lower.G, lower.B)
}

// portable is a document of one page with one line.
func portable(d *Draw) []byte {
	line := fmt.Sprintf("BT /F1 18 Tf 40 100 Td (%s) Tj ET", strings.NewReplacer("(", " ", ")", " ", `\`, " ").Replace(d.Fake("sentence")))
	objects := []string{
		"<< /Type /Catalog /Pages 2 0 R >>",
		"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
		"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 420 200] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
		fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", len(line), line),
		"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
	}
	b := []byte("%PDF-1.4\n")
	places := make([]int, len(objects))
	for i, object := range objects {
		places[i] = len(b)
		b = fmt.Appendf(b, "%d 0 obj\n%s\nendobj\n", i+1, object)
	}
	start := len(b)
	b = fmt.Appendf(b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, place := range places {
		b = fmt.Appendf(b, "%010d 00000 n \n", place)
	}
	return fmt.Appendf(b, "trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, start)
}

func archive(d *Draw) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	into, err := w.CreateHeader(&zip.FileHeader{Name: "notes.txt", Method: zip.Deflate, Modified: firstDay})
	if err == nil {
		_, _ = into.Write([]byte(d.Fake("sentence") + "\n"))
	}
	_ = w.Close() // a buffer takes everything
	return b.Bytes()
}

func compressed(d *Draw) []byte {
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	w.ModTime = time.Time{}
	_, _ = w.Write([]byte(d.Fake("sentence") + "\n"))
	_ = w.Close() // likewise
	return b.Bytes()
}

// sound is a twentieth of a second of a tone, in mono.
func sound(d *Draw) []byte {
	const rate, samples = 8_000, 400
	period := int(d.Whole(8, 40))
	b := binary.LittleEndian.AppendUint32([]byte("RIFF"), 36+samples)
	b = binary.LittleEndian.AppendUint32(append(b, "WAVEfmt "...), 16)
	for _, n := range []uint32{1 | 1<<16, rate, rate, 1 | 8<<16} {
		b = binary.LittleEndian.AppendUint32(b, n)
	}
	b = binary.LittleEndian.AppendUint32(append(b, "data"...), samples)
	for i := range samples {
		b = append(b, byte(96+64*(i/period%2)))
	}
	return b
}
