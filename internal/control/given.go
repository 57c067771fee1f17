package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// tagged is a document with the version that it has, "" for one that has none.
type tagged struct {
	document any
	etag     string
}

func (t tagged) tree() (*tree.Node, error) {
	n, err := documentTree(t.document)
	if err != nil {
		return nil, err
	}
	return spec.WithETag(n, t.etag), nil
}

// headerDemand is what the header of a write demands of what is there: a version, or
// that nothing is.
func headerDemand(c *gin.Context) string {
	if c.GetHeader("If-None-Match") == "*" {
		return catalog.NotThere
	}
	return c.GetHeader("If-Match")
}

// demandOf is what a write demands of what is there: the etag that its document was read
// at counts like If-Match.
func demandOf(c *gin.Context, etag string) (string, error) {
	header := headerDemand(c)
	switch {
	case etag == "" || header == etag || header == catalog.NotThere || header == "*": // whatever version is there
		return header, nil
	case header == "":
		return etag, nil
	}
	return "", problem.New(problem.Conflict, "If-Match demands %s, but the document was read at %s: leave one of them out", header, etag)
}

// patchDemand is demandOf for a patch, which demands at least that what it was just
// applied to is still present.
func patchDemand(c *gin.Context, etag, present string) (string, error) {
	demand, err := demandOf(c, etag)
	if err == nil && demand == "" {
		demand = present
	} else {
		c.Set(mayRetryKey, false) // the caller names the version
	}
	return demand, err
}

// demandsOf is what a write of several demands of each.
func demandsOf[T any](c *gin.Context, given []spec.Given[T]) ([]string, error) {
	demands := make([]string, len(given))
	for i, g := range given {
		var err error
		if demands[i], err = demandOf(c, g.ETag); err != nil {
			return nil, err
		}
	}
	return demands, nil
}

// renames reports whether a write says that a document may have another name than its
// address: then it renames what is there.
func renames(c *gin.Context) bool { return isOn(c, "rename") }

// checkAddress refuses a document that is of another than its address, unless the
// request asks for a rename.
func checkAddress(c *gin.Context, noun, key, inAddress, inDocument string) error {
	if inDocument == inAddress || renames(c) {
		return nil
	}
	return problem.New(problem.Conflict, "the address is of %s %q, the document of %q: mend its %s, or rename %q by adding ?rename=true",
		noun, inAddress, inDocument, key, inAddress)
}

// written is the status of a write that may have made something new.
func written(outcome string) int {
	if outcome == catalog.Created {
		return http.StatusCreated
	}
	return http.StatusOK
}

// madeAt says where the only thing that a request made can be found.
func madeAt(c *gin.Context, path string) int {
	c.Header("Location", path)
	return http.StatusCreated
}

// putDocument reads the document of a PUT, called name unless it says so itself, and hands
// it with what it demands to keep. What check finds wrong with it is answered instead.
func putDocument[T any](s *server, c *gin.Context, name string, read func([]byte, string) (spec.Given[T], error), check func(spec.Given[T]) error,
	keep func(c *gin.Context, document T, given []spec.Given[T], demand string)) {
	text, err := readDocument(c)
	var given spec.Given[T]
	if err == nil {
		given, err = read(text, name)
	}
	if err == nil && check != nil {
		err = check(given)
	}
	var demand string
	if err == nil {
		demand, err = demandOf(c, given.ETag)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	keep(c, given.Document, []spec.Given[T]{given}, demand)
}

// patchDocument is putDocument for what is present as a patch makes it; etag is its version.
func patchDocument[T any](s *server, c *gin.Context, present any, name, etag string, read func([]byte, string) (spec.Given[T], error),
	keep func(c *gin.Context, document T, given []spec.Given[T], demand string)) {
	given, err := patchedAs(c, present, name, read)
	var demand string
	if err == nil {
		demand, err = patchDemand(c, given.ETag, etag)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	keep(c, given.Document, nil, demand)
}
