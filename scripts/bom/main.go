// Command bom writes the software bill of materials of a binary, as CycloneDX 1.6:
// the Go modules that the binary says it has, and the packages of the console that its
// lock file names.
package main

import (
	"debug/buildinfo"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
)

type bom struct {
	Format     string      `json:"bomFormat"`
	Spec       string      `json:"specVersion"`
	Version    int         `json:"version"`
	Metadata   metadata    `json:"metadata"`
	Components []component `json:"components"`
}

type metadata struct {
	Component component `json:"component"`
}

type component struct {
	Type    string `json:"type"`
	Name    string `json:"name"`
	Version string `json:"version"`
	PURL    string `json:"purl,omitempty"`
	Hashes  []hash `json:"hashes,omitempty"`
}

type hash struct {
	Algorithm string `json:"alg"`
	Content   string `json:"content"`
}

func main() {
	version := flag.String("version", "dev", "of the binary")
	binary := flag.String("binary", "bin/rapidmimic", "whose Go modules are listed")
	lock := flag.String("lock", "console/package-lock.json", "with the packages of the console")
	flag.Parse()
	modules, err := modulesOf(*binary)
	var packages []component
	if err == nil {
		packages, err = packagesOf(*lock)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	all := slices.Concat(modules, packages)
	slices.SortFunc(all, func(a, b component) int { return strings.Compare(a.PURL, b.PURL) })
	encoder := json.NewEncoder(os.Stdout)
	encoder.SetIndent("", "  ")
	err = encoder.Encode(bom{"CycloneDX", "1.6", 1, metadata{component{Type: "application", Name: "rapidmimic", Version: *version}}, all})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// modulesOf are the Go modules in a binary.
func modulesOf(binary string) (all []component, err error) {
	info, err := buildinfo.ReadFile(binary)
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", binary, err)
	}
	all = append(all, component{Type: "library", Name: "std", Version: strings.TrimPrefix(info.GoVersion, "go"), PURL: "pkg:golang/std@" + strings.TrimPrefix(info.GoVersion, "go")})
	for _, m := range info.Deps {
		if m.Replace != nil {
			m = m.Replace
		}
		all = append(all, component{Type: "library", Name: m.Path, Version: m.Version, PURL: "pkg:golang/" + m.Path + "@" + m.Version})
	}
	return all, nil
}

// packagesOf are the packages that a lock file names, without those that only build
// and test.
func packagesOf(lock string) (all []component, err error) {
	text, err := os.ReadFile(lock)
	if err != nil {
		return nil, err
	}
	var read struct {
		Packages map[string]struct {
			Version, Integrity string
			Dev                bool
		}
	}
	if err := json.Unmarshal(text, &read); err != nil {
		return nil, fmt.Errorf("read %s: %w", lock, err)
	}
	for path, p := range read.Packages {
		_, name, ok := strings.Cut(path, "node_modules/")
		if at := strings.LastIndex(name, "node_modules/"); at >= 0 {
			name = name[at+len("node_modules/"):]
		}
		if !ok || p.Dev {
			continue
		}
		made := component{Type: "library", Name: name, Version: p.Version, PURL: "pkg:npm/" + strings.Replace(name, "@", "%40", 1) + "@" + p.Version}
		if sum, found := strings.CutPrefix(p.Integrity, "sha512-"); found {
			if raw, err := base64.StdEncoding.DecodeString(sum); err == nil {
				made.Hashes = []hash{{"SHA-512", hex.EncodeToString(raw)}}
			}
		}
		all = append(all, made)
	}
	return all, nil
}
