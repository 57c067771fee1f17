package control

import (
	_ "embed"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic/spec/api"
)

//go:embed openapi.yaml
var openAPI []byte

func getOpenAPI(c *gin.Context) { c.Data(http.StatusOK, "application/yaml", openAPI) }

func (s *server) getStatus(c *gin.Context) {
	status := api.Status{
		Version: s.Version, StartedAt: s.StartedAt.UTC(), Control: s.ControlURL, Traffic: s.TrafficURL, Data: s.Data,
		LastMinute: countsView(s.Log.LastMinute(time.Now())), CallsStored: s.Log.Stored(), CallsNotKept: s.Log.NotKept(),
		CallsNotChecked: s.Log.NotChecked(),
	}
	for _, service := range s.Catalog.Snapshot().Services() {
		status.Services++
		status.Mappings += len(service.Mappings)
		if service.Recording != nil {
			status.Recording = append(status.Recording, service.Spec.Name)
		}
		if service.Spec.Relays() {
			status.Relaying = append(status.Relaying, service.Spec.Name)
		}
	}
	list := s.impairments()
	status.ImpairmentsOff = list.Off
	for _, i := range list.Items {
		if !list.Off {
			status.Impaired = append(status.Impaired, i.Target.String())
		}
	}
	c.PureJSON(http.StatusOK, status)
}
