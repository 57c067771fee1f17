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
	service, inside, below := strings.Cut(name, "/")
	if !below {
		return name == EnvironmentFile
	}
	payload, isPayload := strings.CutPrefix(inside, "payloads/")
	switch {
	case !ValidName(service):
		return false
	case isPayload:
		return PayloadName(payload)
	case inside == "service.yaml", strings.HasPrefix(inside, "contract/"), strings.HasSuffix(inside, ".mappings.yaml"):
		return true
	default:
		return strings.HasPrefix(inside, "contract.") && !strings.Contains(inside, "/")
	}
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
