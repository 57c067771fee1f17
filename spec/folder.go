package spec

import (
	"path"
	"strings"
	"unicode"
	"unicode/utf8"
)

// EnvironmentFile has, in a folder, what belongs to no service.
const EnvironmentFile = "environment.yaml"

// FolderFile reports whether a file has a place in the folder of an environment, by
// its name relative to it, with slashes. Nothing else is sent from such a folder, and
// nothing else is written into one.
func FolderFile(name string) bool {
	if !SafePath(name) {
		return false
	}
	if !strings.Contains(name, "/") {
		return name == EnvironmentFile
	}
	_, _, ok := SplitFolderFile(name)
	return ok
}

// SplitFolderFile tells the service of a file in a folder from the file's name within it.
// A service whose name has several segments has a service.yaml of its own, by which
// folder.Read tells it from folders of mappings in the service above it.
func SplitFolderFile(name string) (service, inside string, ok bool) {
	for i, c := range name {
		if c != '/' {
			continue
		}
		if service, inside = name[:i], name[i+1:]; !ValidServiceName(service) {
			return service, inside, false
		}
		if hasPlace(inside) {
			return service, inside, true
		}
	}
	return service, inside, false
}

// hasPlace reports whether a file has a place in the folder of a service.
func hasPlace(inside string) bool {
	payload, isPayload := strings.CutPrefix(inside, "payloads/")
	switch {
	case isPayload:
		return PayloadName(payload)
	case CollectionOfFile(inside) != "":
		return true
	case inside == "service.yaml", strings.HasPrefix(inside, "contract/"), strings.HasSuffix(inside, ".mappings.yaml"):
		return true
	default:
		return strings.HasPrefix(inside, "contract.") && !strings.Contains(inside, "/")
	}
}

// CollectionOfFile is the collection whose starting data a file in the folder of a service holds;
// "" for none.
func CollectionOfFile(inside string) string {
	name, is := strings.CutPrefix(inside, "memory/")
	if !is {
		return ""
	}
	for _, ending := range []string{".yaml", ".yml", ".json"} {
		if stem, is := strings.CutSuffix(name, ending); is && !strings.Contains(stem, "/") {
			return stem
		}
	}
	return ""
}

// SafePath reports whether a path stays where it is put, on every system: it is
// relative and plain, none of its parts is hidden, and it has no characters that
// steer something.
func SafePath(name string) bool {
	if name == "" || len(name) > 1024 || !utf8.ValidString(name) || path.IsAbs(name) || path.Clean(name) != name || name == ".." || strings.HasPrefix(name, "../") {
		return false
	}
	for part := range strings.SplitSeq(name, "/") {
		if strings.HasPrefix(part, ".") || strings.HasSuffix(part, " ") || strings.HasSuffix(part, ".") {
			return false
		}
	}
	return !strings.ContainsAny(name, `\:*?"<>|`) && !strings.ContainsFunc(name, func(r rune) bool {
		return unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) || r == utf8.RuneError
	})
}
