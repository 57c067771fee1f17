package contract

import "strconv"

// BrokenExample is an example that does not obey the schema beside it.
type BrokenExample struct {
	Operation *Operation
	// Response is the key of the response that it is for; "" for one of the request.
	Response  string
	MediaType string
	Name      string // "" where the contract gives it none
	Detail    string // in what it does not obey
}

// BrokenExamples looks at the examples of a contract, at most so many. looked is how many it did look
// at, of all that have a schema. The contract answers with them all the same.
func (c *Contract) BrokenExamples(most int) (broken []BrokenExample, looked, all int) {
	left := most * valuesOfExample
	look := func(op *Operation, response string, mediaTypes []*MediaType) {
		for _, m := range mediaTypes {
			if m.Schema == nil || m.Drawn {
				continue
			}
			for _, e := range m.Examples {
				if e.Value == nil {
					continue
				}
				if all++; looked >= most || left < 0 {
					continue
				}
				looked, left = looked+1, left-sizeOf(e.Value)
				if detail := m.Schema.Breach(e.Value); detail != "" {
					broken = append(broken, BrokenExample{op, response, m.Written, e.Name, detail})
				}
			}
		}
	}
	for _, op := range c.Operations {
		if op.Body != nil {
			look(op, "", op.Body.MediaTypes)
		}
		for _, r := range op.Responses {
			look(op, r.Key, r.MediaTypes)
		}
	}
	return broken, looked, all
}

// valuesOfExample is how many steps of a check one example may take on average.
const valuesOfExample = 2_000

// Place says where the example stands: "response 200, application/json, example one".
func (b *BrokenExample) Place() string {
	place := "request body"
	if b.Response != "" {
		place = "response " + b.Response
	}
	place += ", " + b.MediaType
	if b.Name != "" {
		place += ", example " + strconv.Quote(b.Name)
	}
	return place
}
