package control

import (
	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/api"
)

// listFunctions tells what expressions can call.
func (s *server) listFunctions(c *gin.Context) {
	respondList(s, c, listing[expr.Function, api.Function]{
		items: expr.Functions, key: func(f expr.Function) string { return f.Group + "/" + f.Name },
		view: func(f expr.Function) api.Function { return api.Function(f) },
	})
}
