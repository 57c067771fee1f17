// Package folder is an environment as a folder of files, fit for version
// control: it reads such a folder, and says which of its files have to change
// for it to hold what an environment holds.
//
// It reads and writes no files; they come and go as names and bytes. What
// becomes of a folder in an environment is the catalogue's business. Start with
// Read and Update.
package folder

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// File is one file, its name relative to the folder and with slashes.
type File = bundle.File

// MaxFiles is how many files a folder may have.
const MaxFiles = 20_000

// Folder is what the files of a folder say. It is not changed after it was
// read.
type Folder struct {
	Services    []*Service // by name
	Environment Environment
	// Faults are in files that cannot be used; the others can.
	Faults []problem.Item
	// Unknown are files that have no place in a folder.
	Unknown []string
}

// IsNone reports whether nothing in the folder has a place in one.
func (f *Folder) IsNone() bool {
	return len(f.Services) == 0 && f.Environment.Empty() && !f.Environment.Faulty && len(f.Faults) == 0
}

// Service is one folder below it.
type Service struct {
	Name string
	// Settings are those of service.yaml; nil without one.
	Settings *spec.Service
	Contract *Contract // nil without one
	Mappings []Mapping // in the order of files and of what stands in them
	Payloads map[string][]byte
	// Data are what collections begin with, by their names, as far as it stands in files of its
	// own. It is part of Settings.
	Data map[string]Data
	// Faulty is set when a file of the service cannot be used: what is not there
	// may stand in it. Unsettled is set when that file is service.yaml.
	Faulty, Unsettled bool
}

// Contract is the contract of a service.
type Contract struct {
	File string // where it stands
	Text []byte // as the catalogue takes it: a document, or an archive of several
}

// Mapping is a mapping with its place.
type Mapping struct {
	spec.Mapping
	File      string
	Line, Col int
}

// Place is where something in a file stands.
func (m *Mapping) Place(at, detail string) problem.Item {
	return problem.Item{File: m.File, Line: m.Line, Col: m.Col, At: at, Detail: detail}
}

const (
	settingsFile  = "service.yaml"
	mappingEnding = ".mappings.yaml"
	contractStem  = "contract."
	contractDir   = "contract/"
	payloadDir    = "payloads/"
	memoryDir     = "memory/" // what collections begin with, a file each
)

// Find returns the service of this name, or nil.
func (f *Folder) Find(name string) *Service {
	for _, s := range f.Services {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// Read reads the files of a folder.
func Read(files []File) *Folder {
	r := &reader{folder: &Folder{}, services: make(map[string]*Service), contracts: make(map[string][]File), places: make(map[[2]string]*Mapping)}
	files = slices.Clone(files)
	slices.SortFunc(files, func(a, b File) int { return strings.Compare(a.Name, b.Name) })
	r.findBelow(files)
	for _, file := range files {
		r.file(file)
	}
	r.finish()
	return r.folder
}

type reader struct {
	folder    *Folder
	services  map[string]*Service
	places    map[[2]string]*Mapping // by service and id
	contracts map[string][]File      // of those that have several files, by service
	below     []string               // services whose names have several segments
}

func (r *reader) service(name string) *Service {
	if s := r.services[name]; s != nil {
		return s
	}
	s := &Service{Name: name, Payloads: make(map[string][]byte)}
	r.services[name] = s
	r.folder.Services = append(r.folder.Services, s)
	return s
}

// split tells the service of a file from the file's name within it: a folder below another
// one is a service of its own where it has a service.yaml.
func (r *reader) split(file string) (service, inside string) {
	service, inside, _ = strings.Cut(file, "/")
	for _, below := range r.below {
		if rest, is := strings.CutPrefix(file, below+"/"); is && len(below) > len(service) {
			service, inside = below, rest
		}
	}
	return service, inside
}

// findBelow finds the services whose names have several segments.
func (r *reader) findBelow(files []File) {
	for _, file := range files {
		if service, is := strings.CutSuffix(file.Name, "/"+settingsFile); is && strings.Contains(service, "/") && spec.ValidServiceName(service) {
			r.below = append(r.below, service)
		}
	}
}

// file reads one file.
func (r *reader) file(file File) {
	if file.Name == environmentFile {
		r.environment(file)
		return
	}
	if !strings.Contains(file.Name, "/") {
		r.folder.Unknown = append(r.folder.Unknown, file.Name)
		return
	}
	name, inside := r.split(file.Name)
	if !spec.ValidServiceName(name) {
		r.folder.Faults = append(r.folder.Faults, problem.Item{File: file.Name, Detail: fmt.Sprintf("the folder names a service, and %q cannot be its name: %s", name, spec.ServiceNameRule)})
		return
	}
	payload, isPayload := strings.CutPrefix(inside, payloadDir)
	switch {
	case inside == settingsFile:
		r.settings(r.service(name), file)
	case strings.HasSuffix(inside, mappingEnding):
		r.mappings(r.service(name), file)
	case strings.HasPrefix(inside, contractStem) && !strings.Contains(inside, "/"):
		r.contract(r.service(name), &Contract{File: file.Name, Text: file.Text})
	case strings.HasPrefix(inside, contractDir):
		r.contracts[name] = append(r.contracts[name], File{Name: strings.TrimPrefix(inside, contractDir), Text: file.Text})
		r.service(name)
	case spec.CollectionOfFile(inside) != "":
		r.startingData(r.service(name), spec.CollectionOfFile(inside), file)
	case isPayload && spec.PayloadName(payload):
		r.service(name).Payloads[payload] = file.Text
	default:
		r.folder.Unknown = append(r.folder.Unknown, file.Name)
	}
}

// fault takes a file out that cannot be used.
func (r *reader) fault(s *Service, file string, items ...problem.Item) {
	for _, item := range items {
		item.File = file
		r.folder.Faults = append(r.folder.Faults, item)
	}
	s.Faulty = true
}

func (r *reader) settings(s *Service, file File) {
	settings, err := spec.ReadServiceNamed(file.Text, s.Name)
	if err == nil && settings.Name != s.Name {
		err = problem.New(problem.Invalid, "the name %q differs from that of the folder, %q", settings.Name, s.Name)
	}
	if err == nil {
		err = settings.WrittenSecrets()
	}
	if err != nil {
		r.fault(s, file.Name, itemsOf(err)...)
		s.Unsettled = true
		return
	}
	settings.ID = ""
	s.Settings = &settings
}

func (r *reader) mappings(s *Service, file File) {
	given, err := spec.GivenMappings(file.Text)
	if err != nil {
		r.fault(s, file.Name, itemsOf(err)...)
		return
	}
	for _, g := range given {
		m := g.Document
		made := Mapping{m, file.Name, int(g.Node.Line), int(g.Node.Col)}
		if first := r.places[[2]string{s.Name, m.ID}]; first != nil {
			r.fault(s, file.Name, problem.Item{Line: made.Line, Col: made.Col,
				Detail: fmt.Sprintf("id %q is used in %s:%d too", m.ID, first.File, first.Line)})
			continue
		}
		r.places[[2]string{s.Name, m.ID}] = &made
		s.Mappings = append(s.Mappings, made)
	}
}

func (r *reader) contract(s *Service, c *Contract) {
	if s.Contract != nil {
		r.fault(s, c.File, problem.Item{Detail: "a service has one contract, and " + s.Contract.File + " is there too"})
		return
	}
	s.Contract = c
}

// finish puts together what several files make up.
func (r *reader) finish() {
	for name, files := range r.contracts {
		s := r.service(name)
		text, err := bundle.Pack(files)
		if err != nil {
			r.fault(s, path.Join(name, contractDir), itemsOf(err)...)
			continue
		}
		r.contract(s, &Contract{File: path.Join(name, contractDir), Text: text})
	}
	for _, s := range r.folder.Services {
		r.finishData(s)
	}
	slices.SortFunc(r.folder.Services, func(a, b *Service) int { return strings.Compare(a.Name, b.Name) })
}

// itemsOf are the places that an error names, or the error as one.
func itemsOf(err error) []problem.Item {
	if known := problem.ItemsOf(err); len(known) > 0 {
		return known
	}
	return []problem.Item{{Detail: err.Error()}}
}
