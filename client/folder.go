package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Apply says how a folder is applied.
type Apply struct {
	// DryRun reports what would happen and changes nothing.
	DryRun bool
	// Prune removes what came from the folder and is no longer there.
	Prune bool
	// Record changes nothing but remembers where environment and folder agree.
	Record bool
	// OverTheirs lets the folder win where the environment was changed, too.
	OverTheirs bool
	// Source names the folder: services that came from another one are not missed
	// in it.
	Source string
}

// Apply brings the environment to what a folder says, given as a zip archive of
// its files.
func (c *Client) Apply(ctx context.Context, archive []byte, how Apply) (api.ApplyReport, error) {
	query := url.Values{}
	for name, set := range map[string]bool{"dryRun": how.DryRun, "prune": how.Prune, "record": how.Record, "overTheirs": how.OverTheirs} {
		if set {
			query.Set(name, "true")
		}
	}
	if how.Source != "" {
		query.Set("source", how.Source)
	}
	return do[api.ApplyReport](ctx, c, request{method: http.MethodPost, path: path("apply"), query: query, body: archive})
}

// Compare tells what of the environment is another than in a folder, given as a zip archive of
// its files.
func (c *Client) Compare(ctx context.Context, archive []byte) (api.Comparison, error) {
	return do[api.Comparison](ctx, c, request{method: http.MethodPost, path: path("comparisons"), body: archive})
}

// Export says which files of a folder, given as a zip archive or nil for a new
// one, have to change for it to hold what the environment holds; of all
// services, or the one named. What was edited in the folder stays, unless overMine is set.
func (c *Client) Export(ctx context.Context, archive []byte, service string, overMine bool) (api.ExportReport, error) {
	query := url.Values{}
	if overMine {
		query.Set("overMine", "true")
	}
	if service != "" {
		query.Set("service", service)
	}
	return do[api.ExportReport](ctx, c, request{method: http.MethodPost, path: path("export"), query: query, body: archive})
}
