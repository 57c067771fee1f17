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
// consist of. Links are followed as long as they stay in the folder.
func packFolder(folder string) ([]byte, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, fmt.Errorf("%w (nothing was changed)", err)
	}
	defer root.Close()
	var archive bytes.Buffer
	w := zip.NewWriter(&archive)
	packed := 0
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
		if hidden || !slices.Contains(contractEndings, strings.ToLower(filepath.Ext(name))) {
			return nil
		}
		text, err := root.ReadFile(name)
		if err != nil {
			return err
		}
		packed++
		part, err := w.Create(name)
		if err != nil {
			return err
		}
		_, err = part.Write(text)
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("pack folder %s: %w (nothing was changed)", folder, err)
	}
	if packed == 0 {
		return nil, fmt.Errorf("folder %s has no file of a contract (%s)", folder, strings.Join(contractEndings, ", "))
	}
	if err := w.Close(); err != nil {
		return nil, fmt.Errorf("pack folder %s: %w", folder, err)
	}
	return archive.Bytes(), nil
}
