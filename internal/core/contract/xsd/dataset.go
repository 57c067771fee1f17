package xsd

import (
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// The namespaces of .NET's data sets, which tell their own schema in a message and then their rows.
const (
	rowsSpace = "urn:schemas-microsoft-com:xml-diffgram-v1"
	dataSpace = "urn:schemas-microsoft-com:xml-msdata"
)

// columns are those of the one table that a drawn data set has.
var columns = []struct{ name, kind string }{{"number", "int"}, {"name", "string"}, {"since", "dateTime"}}

func attribute(local, value string) xmltree.Attr {
	return xmltree.Attr{Name: Name{Local: local}, Value: value}
}

// tableSchema is the schema of a data set, which a message has in it.
func tableSchema() *xmltree.Node {
	of := func(local string, attributes ...xmltree.Attr) *xmltree.Node {
		return &xmltree.Node{Name: Name{Space: Space, Local: local}, Attrs: attributes}
	}
	schema := of("schema", attribute("id", "Data"))
	set := schema.Add(of("element", attribute("name", "Data"), xmltree.Attr{Name: Name{Space: dataSpace, Local: "IsDataSet"}, Value: "true"}))
	table := set.Add(of("complexType")).Add(of("choice", attribute("minOccurs", "0"), attribute("maxOccurs", "unbounded"))).Add(of("element", attribute("name", "Table")))
	row := table.Add(of("complexType")).Add(of("sequence"))
	for _, c := range columns {
		row.Add(of("element", attribute("name", c.name), xmltree.Attr{Name: Name{Local: "type"}, QName: &Name{Space: Space, Local: c.kind}}, attribute("minOccurs", "0")))
	}
	return schema
}

// rows are those of a data set.
func (g *Generator) rows() *xmltree.Node {
	all := &xmltree.Node{Name: Name{Space: rowsSpace, Local: "diffgram"}}
	set := all.Add(&xmltree.Node{Name: Name{Local: "Data"}})
	for i := range 2 {
		number := string(rune('0' + i))
		row := set.Add(&xmltree.Node{Name: Name{Local: "Table"}, Attrs: []xmltree.Attr{
			{Name: Name{Space: rowsSpace, Local: "id"}, Value: "Table" + string(rune('1'+i))}, {Name: Name{Space: dataSpace, Local: "rowOrder"}, Value: number},
		}})
		for _, c := range columns {
			t := builtin(c.kind)
			row.Add(&xmltree.Node{Name: Name{Local: c.name}, Text: t.Simple.draw(g.Draw, sample.HintOf(c.name))})
		}
	}
	return all
}
