package control

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (s *server) versionView(service *catalog.Service, v catalog.MappingVersion) api.MappingVersion {
	view := api.MappingVersion{ID: v.ID, Version: v.Version, Entry: catalog.EntryID(v.Entry), By: v.By, Removed: v.Removed, Mapping: v.Mapping}
	if !v.At.IsZero() {
		view.At = v.At.UTC()
	}
	if m := service.Mapping(v.ID); m != nil {
		view.Current = m.Version == v.Version
	}
	return view
}

func (s *server) respondVersions(c *gin.Context, versions []catalog.MappingVersion, err error) {
	service, findErr := s.Catalog.Find(c.Param("service"))
	if err == nil {
		err = findErr
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.MappingVersion]{Items: []api.MappingVersion{}}
	for _, v := range versions {
		list.Items = append(list.Items, s.versionView(service, v))
	}
	c.PureJSON(http.StatusOK, list)
}

func (s *server) listMappingVersions(c *gin.Context) {
	versions, err := s.Catalog.MappingVersions(c.Request.Context(), c.Param("service"), c.Param("mapping"))
	s.respondVersions(c, versions, err)
}

func (s *server) listRemovedMappings(c *gin.Context) {
	versions, err := s.Catalog.RemovedMappings(c.Request.Context(), c.Param("service"))
	s.respondVersions(c, versions, err)
}

func (s *server) getMappingVersion(c *gin.Context) {
	number, err := strconv.ParseInt(c.Param("version"), 10, 64)
	if err != nil || number < 1 {
		s.fail(c, problem.New(problem.NotFound, "%q is not a version number", c.Param("version")), nil)
		return
	}
	v, err := s.Catalog.MappingAt(c.Request.Context(), c.Param("service"), c.Param("mapping"), number)
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if v.Mapping == nil && wantsYAML(c) {
		s.fail(c, problem.New(problem.NotFound, "mapping %q was deleted in version %d", v.ID, number), nil)
		return
	}
	s.respond(c, http.StatusOK, s.versionView(service, v), v.Mapping)
}

func (s *server) restoreMapping(c *gin.Context) {
	var wanted struct {
		Version int64 `json:"version"`
	}
	if err := readFields(c, &wanted, "restore"); err != nil {
		s.fail(c, err, nil)
		return
	}
	m, err := s.Catalog.RestoreMapping(c.Request.Context(), c.Param("service"), c.Param("mapping"), wanted.Version, c.GetHeader("If-Match"))
	if err != nil {
		s.failMapping(c, err, m)
		return
	}
	s.respondMapping(c, http.StatusOK, m)
}

func (s *server) copyMapping(c *gin.Context) {
	var to api.MappingCopy
	err := readFields(c, &to, "copy")
	if err == nil && to.Service != "" {
		err = holder(c).Refuse(access.Need{Right: access.Edit, Service: s.nameOf(to.Service)})
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, m, err := s.Catalog.CopyMapping(c.Request.Context(), c.Param("service"), c.Param("mapping"), catalog.Copy{Service: to.Service, ID: to.ID, Move: to.Move})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("ETag", catalog.ETag(m.Version))
	c.Header("Location", "/api/v1/services/"+service.Spec.Name+"/mappings/"+m.Spec.ID)
	s.respond(c, http.StatusCreated, s.mappingView(s.asDefined(), service, m), m.Spec)
}

func (s *server) resetPositions(c *gin.Context) {
	service, m := s.serviceAndMapping(c)
	if m == nil {
		return
	}
	s.Engine.ResetSequence(s.shared(), service.Spec.ID, m)
	c.Status(http.StatusNoContent)
}

func (s *server) resetCounts(c *gin.Context) {
	service, m := s.serviceAndMapping(c)
	if m == nil {
		return
	}
	s.Log.ForgetMapping(service.Spec.Name, m.Spec.ID)
	c.Status(http.StatusNoContent)
}

// serviceAndMapping finds what the URL names. When it is not there it answers
// so, and m is nil.
func (s *server) serviceAndMapping(c *gin.Context) (service *catalog.Service, m *catalog.Mapping) {
	m, err := s.Catalog.FindMapping(c.Param("service"), c.Param("mapping"))
	if err == nil {
		service, err = s.Catalog.Find(c.Param("service"))
	}
	if err != nil {
		s.fail(c, err, nil)
		return nil, nil
	}
	return service, m
}
