package call

import (
	"strconv"
	"strings"
)

// IsJSON reports whether a media type is JSON or has a JSON suffix.
func IsJSON(mediaType string) bool {
	t := BaseType(mediaType)
	return t == "application/json" || t == "text/json" || strings.HasSuffix(t, "+json")
}

// IsYAML reports whether a media type is YAML or has a YAML suffix.
func IsYAML(mediaType string) bool {
	switch t := BaseType(mediaType); t {
	case "application/yaml", "application/x-yaml", "text/yaml", "text/x-yaml", "text/vnd.yaml", "application/vnd.yaml":
		return true
	default:
		return strings.HasSuffix(t, "+yaml")
	}
}

// IsXML reports whether a media type is XML or has an XML suffix.
func IsXML(mediaType string) bool {
	t := BaseType(mediaType)
	return t == "application/xml" || t == "text/xml" || strings.HasSuffix(t, "+xml")
}

// BaseType is a media type in lower case, without parameters.
func BaseType(mediaType string) string {
	t, _, _ := strings.Cut(mediaType, ";")
	return strings.ToLower(strings.TrimSpace(t))
}

// Accepts picks from media types, in their order, the media type that an Accept
// header (RFC 9110, section 12.5.1) prefers. It returns the index, or -1 when
// none is acceptable. An empty header accepts everything.
func Accepts(accept string, mediaTypes []string) int {
	if strings.TrimSpace(accept) == "" {
		return min(0, len(mediaTypes)-1)
	}
	best, bestQuality := -1, 0.0
	for i, mediaType := range mediaTypes {
		if q := quality(accept, BaseType(mediaType)); q > bestQuality {
			best, bestQuality = i, q
		}
	}
	return best
}

// quality is the weight that the most specific range fitting a media type gives it.
func quality(accept, mediaType string) float64 {
	result, resultSpecific := 0.0, -1
	for _, part := range strings.Split(accept, ",") {
		kind, params, _ := strings.Cut(part, ";")
		specific := specificity(strings.ToLower(strings.TrimSpace(kind)), mediaType)
		if specific > resultSpecific {
			result, resultSpecific = weight(params), specific
		}
	}
	return result
}

// specificity is -1 when the range does not cover it.
func specificity(kind, mediaType string) int {
	switch {
	case kind == mediaType:
		return 2
	case kind == "*/*":
		return 0
	case strings.HasSuffix(kind, "/*") && strings.HasPrefix(mediaType, kind[:len(kind)-1]):
		return 1
	default:
		return -1
	}
}

func weight(params string) float64 {
	for _, param := range strings.Split(params, ";") {
		name, value, _ := strings.Cut(strings.TrimSpace(param), "=")
		if strings.EqualFold(name, "q") {
			if q, err := strconv.ParseFloat(value, 64); err == nil {
				return q
			}
		}
	}
	return 1
}
