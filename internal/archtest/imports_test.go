// Package archtest holds the import rules: who may use whom. A line here is
// changed only when the structure changes on purpose (docs/architecture.md),
// never just to make a build pass.
package archtest

import (
	"encoding/json"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "rapidmimic.example/"

// mayImport lists for each package which of ours it may import. "core" stands
// for everything below internal/core, "spec" for everything below spec.
var mayImport = map[string]string{
	"spec/problem":                   "",
	"spec/tree":                      "spec/problem",
	"spec":                           "spec/problem spec/tree",
	"spec/api":                       "spec spec/problem",
	"client":                         "spec spec/api spec/problem",
	"internal/core/budget":           "",
	"internal/core/call":             "spec/tree",
	"internal/core/lru":              "",
	"internal/core/access":           "spec/problem",
	"internal/core/jsonpath":         "internal/core/budget spec/tree",
	"internal/core/expr":             "internal/core/budget spec/problem spec/tree",
	"internal/core/match":            "internal/core/coding internal/core/budget internal/core/call internal/core/expr internal/core/jsonpath internal/core/xmltree spec spec/problem spec/tree",
	"internal/core/sample":           "internal/core/budget spec/tree",
	"internal/core/contract":         "internal/core/budget internal/core/call internal/core/expr internal/core/match internal/core/sample internal/core/xmltree spec spec/problem spec/tree",
	"internal/core/contract/rest":    "internal/core/budget internal/core/call internal/core/contract internal/core/expr internal/core/match internal/core/sample spec/tree",
	"internal/core/contract/bundle":  "internal/core/budget spec/problem",
	"internal/core/contract/xsd":     "internal/core/sample internal/core/xmltree spec/tree",
	"internal/core/contract/wsdl":    "internal/core/budget internal/core/call internal/core/contract internal/core/contract/bundle internal/core/contract/xsd internal/core/expr internal/core/match internal/core/sample internal/core/xmltree spec spec/problem spec/tree",
	"internal/core/xmltree":          "",
	"internal/core/contract/openapi": "internal/core/call internal/core/contract internal/core/contract/bundle internal/core/contract/rest internal/core/jsonpath internal/core/match internal/core/sample spec spec/problem spec/tree",
	"internal/core/answer":           "internal/core/budget internal/core/match internal/core/call internal/core/coding internal/core/collection internal/core/expr spec spec/problem spec/tree",
	"internal/core/coding":           "",
	"internal/core/secret":           "internal/core/call internal/core/coding",
	"internal/core/grant":            "internal/core/call spec/tree",
	"internal/core/check":            "internal/core/call spec/problem",
	"internal/core/comparison":       "internal/core/call internal/core/jsonpath internal/core/xmltree spec/tree",
	"internal/core/recording":        "internal/core/call internal/core/coding internal/core/jsonpath internal/core/match internal/core/secret internal/core/xmltree spec spec/problem spec/tree",
	"internal/core/collection":       "internal/core/call internal/core/contract internal/core/sample spec spec/tree",
	"internal/core/folder":           "internal/core/contract/bundle spec spec/problem spec/tree",
	"internal/core/impair":           "internal/core/lru spec spec/problem",
	"internal/core/boundary":         "internal/core/contract spec spec/problem spec/tree",
	"internal/core/walk":             "internal/core/boundary internal/core/catalog spec spec/problem",
	"internal/core/script":           "internal/core/expr internal/core/sample",
	"internal/scripts":               "internal/core/lru internal/core/script",
	"internal/core/catalog":          "internal/core/script internal/core/answer internal/core/call internal/core/collection internal/core/impair internal/core/contract internal/core/contract/bundle internal/core/contract/openapi internal/core/contract/rest internal/core/contract/wsdl internal/core/expr internal/core/folder internal/core/match internal/core/recording spec spec/problem spec/tree",
	"internal/core/engine":           "internal/core/grant internal/core/script internal/core/answer internal/core/budget internal/core/call internal/core/catalog internal/core/collection internal/core/coding internal/core/contract internal/core/expr internal/core/impair internal/core/lru internal/core/match internal/core/sample spec spec/problem spec/tree",
	"internal/traffic":               "core spec",
	"internal/rescue":                "",
	"internal/callback":              "internal/core/call internal/rescue",
	"internal/calllog":               "core internal/rescue",
	"internal/store":                 "internal/core/collection internal/core/walk core spec",
	"internal/control":               "internal/core/walk internal/core/boundary core spec",
	"internal/metrics":               "core",
	"internal/outgoing":              "",
	"internal/fetch":                 "internal/outgoing spec/problem",
	"internal/upstream":              "internal/core/call internal/outgoing",
	"internal/authority":             "",
	"internal/memory":                "",
	"internal/sniff":                 "",
	"internal/signin":                "internal/core/access spec/problem",
	"internal/config":                "internal/memory",
	"internal/console":               "",
	"internal/cli":                   "client demo internal/config spec",
	"demo":                           "client spec/problem",
	"internal/app": "core internal/callback internal/scripts internal/authority internal/calllog internal/config internal/console internal/control internal/fetch internal/memory internal/metrics internal/outgoing internal/rescue internal/signin internal/sniff " +
		"internal/store internal/traffic internal/upstream",
	"cmd/rapidmimic":      "internal/app internal/cli internal/scripts",
	"e2e/browser":         "",
	"e2e/screenshots":     "e2e/browser",
	"bench":               "client spec",
	"siege":               "client spec",
	"mutants":             "",
	"corpus":              "internal/core/call internal/core/contract internal/core/contract/bundle internal/core/contract/openapi internal/core/match internal/core/sample spec/tree",
	"corpus/soap":         "internal/core/call internal/core/contract internal/core/contract/bundle internal/core/contract/wsdl internal/core/match internal/core/sample internal/core/xmltree",
	"scripts/bom":         "",
	"scripts/collections": "client internal/core/contract internal/core/contract/openapi internal/core/sample spec",
}

// owners are the packages that alone may import a dependency.
var owners = map[string]string{
	"github.com/gin-gonic/gin":              "internal/control",
	"github.com/jmoiron/sqlx":               "internal/store",
	"github.com/pressly/goose/v3":           "internal/store",
	"github.com/urfave/cli/v3":              "internal/cli",
	"github.com/prometheus/client_golang":   "internal/metrics",
	"github.com/brianvoe/gofakeit/v7":       "internal/core/sample",
	"github.com/antchfx":                    "internal/core/match",
	"github.com/vektah/gqlparser":           "internal/core/match",
	"cel.dev/cel-go":                        "internal/core/expr",
	"golang.org/x/net":                      "internal/core/xmltree",
	"github.com/dlclark/regexp2":            "internal/core/sample",
	"github.com/santhosh-tekuri/jsonschema": "internal/core/contract",
	"go.yaml.in/yaml/v4":                    "spec/tree",
	"github.com/chromedp/chromedp":          "e2e/browser",
	"database/sql":                          "internal/store",
	"github.com/evanphx/json-patch/v5":      "spec/tree",
	"github.com/dunglas/httpsfv":            "internal/core/call",
	"github.com/gofrs/flock":                "internal/app",
	"github.com/dop251/goja":                "internal/core/script",
	"github.com/zalando/go-keyring":         "internal/cli",
	"github.com/coreos/go-oidc/v3":          "internal/signin",
	"golang.org/x/time":                     "internal/control",
	"github.com/klauspost/compress/zstd":    "internal/core/coding",
	"github.com/klauspost/compress/gzhttp":  "internal/control",
	"github.com/andybalholm/brotli":         "internal/core/coding",
}

// ioPackages never occur in the core: it computes.
var ioPackages = []string{"net/http", "database/sql", "os", "net", "os/exec", "log/slog", "io/fs"}

type pkg struct {
	ImportPath string
	Imports    []string
}

func packages(t *testing.T) []pkg {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", module+"...").Output()
	require.NoError(t, err)
	var list []pkg
	for dec := json.NewDecoder(strings.NewReader(string(out))); dec.More(); {
		var p pkg
		require.NoError(t, dec.Decode(&p))
		list = append(list, p)
	}
	return list
}

func allows(rule, imported string) bool {
	for _, word := range strings.Fields(rule) {
		switch {
		case word == imported,
			word == "core" && strings.HasPrefix(imported, "internal/core/"),
			word == "spec" && strings.HasPrefix(imported, "spec/"):
			return true
		}
	}
	return false
}

func TestImports(t *testing.T) {
	list := packages(t)
	require.Greater(t, len(list), 20)
	for _, p := range list {
		name := strings.TrimPrefix(p.ImportPath, module)
		rule, known := mayImport[name]
		if !known && name != "internal/archtest" && name != "e2e" {
			t.Errorf("%s has no rule: add a line for it", name)
		}
		for _, imported := range p.Imports {
			if ours, ok := strings.CutPrefix(imported, module); ok {
				assert.True(t, allows(rule, ours), "%s must not import %s", name, ours)
				continue
			}
			for dependency, owner := range owners {
				if imported == dependency || strings.HasPrefix(imported, dependency+"/") {
					assert.Equal(t, owner, name, "%s belongs to %s", dependency, owner)
				}
			}
			if strings.HasPrefix(name, "internal/core/") {
				assert.False(t, slices.Contains(ioPackages, imported), "%s must not import %s: the core does no I/O", name, imported)
			}
		}
	}
	for name := range mayImport {
		assert.True(t, slices.ContainsFunc(list, func(p pkg) bool { return p.ImportPath == module+name }), "there is no package %s any more", name)
	}
}
