package control

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic/internal/core/answer"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/match"
	"rapidmimic/internal/core/sample"
	"rapidmimic/spec/api"
	"rapidmimic/spec/problem"
)

func contractView(c *catalog.Contract) api.Contract {
	return api.Contract{Title: c.Title, Version: c.Version, Format: c.Format, Revision: c.Revision, File: c.File}
}

func (s *server) postImport(c *gin.Context) {
	text, err := readBody(c)
	if err == nil && len(text) == 0 {
		err = errNoBody
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	service, err := s.Catalog.Import(c, catalog.Import{Text: text, File: c.Query("file"), Name: c.Query("name"), Into: c.Query("into")})
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.Header("Location", "/api/v1/services/"+url.PathEscape(service.Spec.Name))
	c.PureJSON(http.StatusCreated, s.importReport(service))
}

func (s *server) importReport(service *catalog.Service) api.ImportReport {
	report := api.ImportReport{
		Service: service.Spec.Name, Address: s.address(service.Spec.Name), Contract: contractView(service.Contract),
		Skipped: []api.Operation{}, Warnings: append([]problem.Item{}, service.Contract.Warnings...),
	}
	for _, op := range service.Contract.Operations {
		if op.Skipped != nil {
			report.Skipped = append(report.Skipped, operationView(service, op))
			continue
		}
		report.Answers++
		if report.Try.URL == "" || op.Method == http.MethodGet && report.Try.Method != http.MethodGet {
			report.Try = api.Try{Method: op.Method, URL: s.address(service.Spec.Name) + examplePath(op.Template.String())}
		}
	}
	return report
}

// examplePath fills the parameters of a path with something that can be sent.
func examplePath(template string) string {
	for {
		before, rest, found := strings.Cut(template, "{")
		_, after, closed := strings.Cut(rest, "}")
		if !found || !closed {
			return template
		}
		template = before + "1" + after
	}
}

func (s *server) getContract(c *gin.Context) {
	stored, err := s.Catalog.ContractText(c, c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	mediaType := "application/yaml"
	if text := strings.TrimSpace(string(stored.Text[:min(len(stored.Text), 64)])); strings.HasPrefix(text, "{") {
		mediaType = "application/json"
	}
	c.Data(http.StatusOK, mediaType, stored.Text)
}

func (s *server) listOperations(c *gin.Context) {
	service, err := s.Catalog.Find(c.Param("service"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	list := api.List[api.Operation]{Items: []api.Operation{}}
	if service.Contract != nil {
		for _, op := range service.Contract.Operations {
			list.Items = append(list.Items, operationView(service, op))
		}
	}
	c.PureJSON(http.StatusOK, list)
}

// operationView tells how an operation answers when nothing else does.
func operationView(service *catalog.Service, op *contract.Operation) api.Operation {
	view := api.Operation{ID: op.ID, Method: op.Method, Path: op.Template.String(), Summary: op.Summary}
	if op.Skipped != nil {
		view.Skipped = op.Skipped.Detail
		if op.Skipped.Line > 0 {
			view.Skipped = fmt.Sprintf("line %d: %s", op.Skipped.Line, op.Skipped.Detail)
		}
		return view
	}
	chosen := service.Spec.Examples[op.ID]
	response := op.Named(chosen)
	if chosen == "" || response == nil {
		chosen, response = "", op.Success
	}
	view.MappedBy, view.Examples = mappedBy(service, op), exampleViews(op, chosen)
	view.Status, view.Body = response.Status, "none"
	offers := response.Offers
	if chosen != "" {
		offers = response.With(chosen)
	}
	if len(offers) == 0 {
		return view
	}
	wanted := answer.Wanted{Status: response.Status, Offer: offers[0], Example: chosen}
	built := answer.FromOperation(wanted, func() *sample.Draw { return sample.NewDraw(0, op.ID, 0) })
	view.MediaType, view.Sample, view.Body = offers[0].MediaType, string(built.Answer.Body), "generated"
	if built.Used != nil {
		view.Body, view.Example = "example", built.Used.Name
	}
	return view
}

func exampleViews(op *contract.Operation, chosen string) (views []api.Example) {
	for _, name := range op.ExampleNames() {
		response := op.Named(name)
		views = append(views, api.Example{
			Name: name, Summary: response.With(name)[0].Example(name).Summary, Status: response.Status, Chosen: name == chosen,
		})
	}
	return views
}

// mappedBy names the enabled mappings that answer the operation's own path
// instead of it, the winner first.
func mappedBy(service *catalog.Service, op *contract.Operation) (ids []string) {
	path := match.Split(nil, op.Template.String())
	for _, fit := range service.Fits(op.Method, path) {
		if fit.Method {
			ids = append(ids, fit.Rule.ID)
		}
	}
	return ids
}
