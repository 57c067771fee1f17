// Package bundle unpacks what was imported: one document, or an archive of
// several that refer to one another. It reads no files; the archive comes as
// bytes. Start with Open.
package bundle

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/spec/problem"
)

// Limits of an archive. They bound the memory that a hostile one can cost.
const (
	MaxFiles = 2_000
	MaxBytes = 64 << 20 // of all files together, unpacked
)

// Bundle is what was imported. It is immutable.
type Bundle struct {
	// Files are in the order of the archive; one without a name when a single
	// document was imported.
	Files []File
	// Main is the name of the contract itself, "" for a single document.
	Main string
}

// File is one document. Name is its path in the archive, with slashes and
// without "." and "..".
type File struct {
	Name string
	Text []byte
}

// IsArchive reports whether an upload is a zip archive rather than a document.
func IsArchive(text []byte) bool {
	return bytes.HasPrefix(text, []byte("PK\x03\x04")) || bytes.HasPrefix(text, []byte("PK\x05\x06")) // one with files, one without
}

// Open unpacks an upload. main names the contract among several files; when it
// is "" the only file that isContract takes for one is meant, of several the
// one that lies above all others.
func Open(text []byte, main string, isContract func([]byte) bool) (*Bundle, error) {
	if !IsArchive(text) {
		if main != "" {
			return nil, problem.New(problem.Invalid, "main names a file of a folder or an archive, and this is a single document")
		}
		return &Bundle{Files: []File{{Text: text}}}, nil
	}
	files, err := Unpack(text, MaxFiles)
	if err != nil {
		return nil, err
	}
	b := &Bundle{Files: files}
	b.Main, err = b.findMain(main, isContract)
	return b, err
}

// Single reports whether only one document was imported.
func (b *Bundle) Single() bool { return b.Main == "" }

// Contract is the document that everything starts from.
func (b *Bundle) Contract() []byte {
	if b.Single() {
		return b.Files[0].Text
	}
	text, _ := b.File(b.Main)
	return text
}

// File returns a document by its name.
func (b *Bundle) File(name string) (text []byte, ok bool) {
	for _, f := range b.Files {
		if f.Name == name {
			return f.Text, true
		}
	}
	return nil, false
}

// Names lists the files, none for a single document.
func (b *Bundle) Names() []string {
	if b.Single() {
		return nil
	}
	names := make([]string, len(b.Files))
	for i, f := range b.Files {
		names[i] = f.Name
	}
	return names
}

// Unpack reads the regular files of an archive, at most so many.
func Unpack(text []byte, most int) ([]File, error) {
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		return nil, problem.New(problem.Syntax, "the archive cannot be read: %v", err)
	}
	if len(archive.File) > most {
		return nil, problem.New(problem.TooLarge, "the archive has %d files; %d are read at most", len(archive.File), most)
	}
	var files []File
	room := int64(MaxBytes)
	for _, entry := range archive.File {
		name, err := cleanName(entry.Name)
		if err != nil {
			return nil, err
		}
		if !entry.Mode().IsRegular() || isForeign(name) {
			continue
		}
		content, err := readEntry(entry, room)
		if err != nil {
			return nil, err
		}
		room -= int64(len(content))
		files = append(files, File{name, content})
	}
	return files, nil
}

// UnpackedSize is how large the files of an archive say that they are together, as far
// as they are read; 0 for what is no archive.
func UnpackedSize(text []byte) (size int64) {
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		return 0
	}
	for _, entry := range archive.File {
		if size += int64(min(entry.UncompressedSize64, MaxBytes)); size > MaxBytes {
			return MaxBytes
		}
	}
	return size
}

// isForeign reports whether a name is that of something that packing programs
// add by themselves.
func isForeign(name string) bool {
	return strings.HasPrefix(name, "__MACOSX/") || strings.HasPrefix(path.Base(name), ".")
}

func cleanName(name string) (string, error) {
	clean := path.Clean(strings.ReplaceAll(name, `\`, "/"))
	if strings.HasPrefix(clean, "/") || clean == ".." || strings.HasPrefix(clean, "../") || strings.Contains(clean, ":") {
		return "", problem.New(problem.Invalid, "the archive has a file %q outside of itself", name)
	}
	if !utf8.ValidString(clean) || strings.ContainsFunc(clean, func(r rune) bool { return unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) }) {
		return "", problem.New(problem.Invalid, "the archive has a file %q: a name with control characters is not for a folder", name)
	}
	if folder := path.Dir(clean); strings.HasPrefix(folder, ".") && folder != "." || strings.Contains(folder, "/.") {
		return "", problem.New(problem.Invalid, "the archive has a file %q in a hidden folder, which belongs to another program", name)
	}
	return clean, nil
}

func readEntry(entry *zip.File, room int64) ([]byte, error) {
	tooLarge := problem.New(problem.TooLarge, "the files of the archive are larger than %d MB together", MaxBytes>>20)
	r, err := entry.Open()
	if err != nil {
		return nil, problem.New(problem.Syntax, "%s in the archive cannot be read: %v", entry.Name, err)
	}
	content, err := io.ReadAll(budget.Fair(io.LimitReader(r, room+1)))
	if err := errors.Join(err, r.Close()); err != nil {
		return nil, problem.New(problem.Syntax, "%s in the archive cannot be read: %v", entry.Name, err)
	}
	if int64(len(content)) > room {
		return nil, tooLarge
	}
	return content, nil
}

func (b *Bundle) findMain(wanted string, isContract func([]byte) bool) (string, error) {
	var candidates []string
	for _, f := range b.Files {
		if wanted != "" && f.Name == path.Clean(wanted) {
			return f.Name, nil
		}
		if isContract(f.Text) {
			candidates = append(candidates, f.Name)
		}
	}
	switch {
	case wanted != "":
		return "", problem.New(problem.NotFound, "there is no file %q among those that were imported (%s)", wanted, listed(b.names()))
	case len(candidates) == 0:
		return "", problem.New(problem.Invalid, "none of the files is a contract (%s)", listed(b.names()))
	}
	depth := func(name string) int { return strings.Count(name, "/") }
	slices.SortStableFunc(candidates, func(a, b string) int { return depth(a) - depth(b) })
	if len(candidates) > 1 && depth(candidates[0]) == depth(candidates[1]) {
		return "", problem.New(problem.Invalid, "several contracts were imported together: %s (main names the one that is meant)", listed(candidates))
	}
	return candidates[0], nil
}

func (b *Bundle) names() []string {
	names := make([]string, len(b.Files))
	for i, f := range b.Files {
		names[i] = f.Name
	}
	return names
}

func listed(names []string) string {
	const most = 8
	if len(names) == 0 {
		return "there is none"
	}
	if len(names) > most {
		return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", len(names)-most)
	}
	return strings.Join(names, ", ")
}

// Pack makes an archive of files, as Open takes it.
func Pack(files []File) ([]byte, error) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range files {
		entry, err := w.Create(f.Name)
		if err != nil {
			return nil, fmt.Errorf("pack %s: %w", f.Name, err)
		}
		if _, err := entry.Write(f.Text); err != nil {
			return nil, fmt.Errorf("pack %s: %w", f.Name, err)
		}
	}
	if err := w.Close(); err != nil {
		return nil, fmt.Errorf("pack: %w", err)
	}
	return b.Bytes(), nil
}
