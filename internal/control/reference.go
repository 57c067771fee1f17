package control

import (
	"net/http"
	"sync"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/api"
)

// ownService is the API as a service: its document, read as any contract is.
var ownService = sync.OnceValues(func() (*catalog.Service, error) {
	return catalog.Described("control", describedAPI())
})

// listReference tells what the API itself lets a caller do.
func (s *server) listReference(c *gin.Context) {
	own, err := ownService()
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	respondList(s, c, listing[*contract.Operation, api.Operation]{
		items: own.Contract.Operations, key: func(op *contract.Operation) string { return op.ID },
		view: func(op *contract.Operation) api.Operation { return s.operationView(s.asDefined(), own, op) },
	})
}

func (s *server) getReference(c *gin.Context) {
	own, err := ownService()
	var op *contract.Operation
	if err == nil {
		op, err = own.FindOperation(c.Param("operation"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	detail := s.operationDetail(s.asDefined(), own, op)
	try := own.Protocol().Try(op, drawFor(op)) // at the control port, which has no services
	detail.Try.Path, detail.Curl = try.Address, try.Curl(s.ControlURL)
	c.PureJSON(http.StatusOK, detail)
}
