package cli

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// contractEndings are the endings of files that a contract can consist of.
var contractEndings = []string{".yaml", ".yml", ".json", ".wsdl", ".xsd", ".xml"}

// packFolder makes a zip archive of the files in a folder that a contract can
// consist of.
func packFolder(folder string) ([]byte, error) {
	archive, packed, _, err := pack(folder, true, func(name string) bool {
		return slices.Contains(contractEndings, strings.ToLower(filepath.Ext(name)))
	})
	if err == nil && packed == 0 {
		return nil, fmt.Errorf("folder %s has no file of a contract (%s)", folder, strings.Join(contractEndings, ", "))
	}
	return archive, err
}

// pack makes a zip archive of the wanted files in a folder, save hidden ones, and says
// which it left alone. Links are followed when they may be, as long as they stay in the
// folder.
func pack(folder string, links bool, wanted func(name string) bool) (packed []byte, count int, left []string, err error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, 0, nil, fmt.Errorf("%w (nothing was changed)", err)
	}
	defer root.Close()
	var archive bytes.Buffer
	w := zip.NewWriter(&archive)
	err = fs.WalkDir(root.FS(), ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		hidden := strings.HasPrefix(entry.Name(), ".") && name != "."
		if entry.IsDir() {
			if hidden || entry.Name() == "node_modules" {
				return fs.SkipDir
			}
			return nil
		}
		if hidden || !wanted(name) || entry.Type()&fs.ModeSymlink != 0 && !links {
			if !hidden {
				left = append(left, name)
			}
			return nil
		}
		text, err := root.ReadFile(name)
		if err != nil {
			return err
		}
		count++
		return addFile(w, name, text)
	})
	if err != nil {
		return nil, 0, nil, fmt.Errorf("pack folder %s: %w (nothing was changed)", folder, err)
	}
	if err := w.Close(); err != nil {
		return nil, 0, nil, fmt.Errorf("pack folder %s: %w", folder, err)
	}
	return archive.Bytes(), count, left, nil
}

func addFile(w *zip.Writer, name string, text []byte) error {
	part, err := w.Create(name)
	if err == nil {
		_, err = part.Write(text)
	}
	return err
}
