package cli

import (
	"cmp"
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (p Program) mappingPut(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.String("file") == "" {
		return usage("%s needs a document: -f FILE, or -f - for standard input", c.FullName())
	}
	text, file, err := p.readInput(c.String("file"))
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	lane := c.String("lane")
	if c.Bool("over-theirs") {
		ctx = client.OverTheirs(ctx)
	}
	report, err := environment.PutLaneMappings(ctx, lane, given[0], text)
	if isStale(err) && lane == "" {
		return p.sayBoth(unchanged(err, file), c.String("file"), "mapping put "+given[0], changedMappings(ctx, environment, given[0], text))
	}
	if err != nil {
		return unchanged(err, file)
	}
	if file != "" {
		p.noteMappings(c.String("file"), text, report)
	}
	return p.print(c, report, nil, func() {
		p.sayPut(given[0], report)
		if lane != "" {
			p.say("only in lane %s", lane)
		}
	})
}

// changedMappings are those of a document that somebody changed since it was read.
func changedMappings(ctx context.Context, environment *client.Client, service string, text []byte) (all []both) {
	given, err := spec.GivenMappings(text)
	if err != nil {
		return nil // it was said before
	}
	for _, g := range given {
		theirs, err := environment.Mapping(ctx, service, g.Document.ID)
		if err != nil || g.ETag == "" || theirs.ETag == g.ETag {
			continue
		}
		versions, err := environment.MappingVersions(ctx, service, g.Document.ID)
		by := ""
		if err == nil && len(versions) > 0 {
			by = fmt.Sprintf(", %s, %s", whenText(versions[0].At), cmp.Or(versions[0].By, "nobody named"))
		}
		all = append(all, both{g.Document.ID, by, documentText(theirs.Document()), documentText(g.Document.Document())})
	}
	return all
}

// noteMappings notes the versions of mappings in the file that they were put from.
func (p Program) noteMappings(file string, text []byte, report api.PutReport) {
	given, err := spec.GivenMappings(text)
	if err != nil || len(given) > len(report.Items) {
		return
	}
	var versions []version
	for i, g := range given {
		versions = append(versions, version{g.Node, g.ETag, report.Items[i].ETag})
	}
	p.noteVersions(file, text, versions)
}
