package control

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// postDigest gives the digest of a secret, by which a mapping knows it. The secret is
// neither kept nor logged.
func (s *server) postDigest(c *gin.Context) {
	var wanted api.DigestRequest
	if err := readFields(c, &wanted, "digest"); err != nil {
		s.fail(c, err, nil)
		return
	}
	if wanted.Secret == "" {
		s.fail(c, problem.FromItems("the digest cannot be made", []problem.Item{{At: "/secret", Detail: "secret must not be empty"}}), nil)
		return
	}
	c.PureJSON(http.StatusOK, api.Digest{Digest: s.Masker.StandIn(wanted.Secret)})
}
