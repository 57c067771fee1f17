package catalog

import (
	"maps"
	"slices"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// checkMemory refuses operations of collections that the contract does not have, or whose paths say
// what they do.
func checkMemory(s spec.Service, old *Service) error {
	var items []problem.Item
	for _, name := range slices.Sorted(maps.Keys(s.Memory.Collections)) {
		given, before := s.Memory.Collections[name].Operations, old.Spec.Memory.Collections[name].Operations
		for _, does := range slices.Sorted(maps.Keys(given)) {
			item := problem.Item{At: tree.Join(tree.Join("/memory", name)+"/operations", does)}
			switch op := old.Operation(given[does]); {
			case before[does] == given[does]:
				continue
			case op == nil:
				item.Detail = notFound("operation", given[does], old.operationIDs()).Error()
			case !op.ByMessage:
				item.Detail = "what operation " + op.ID + " does follows from its path: say `at`, the path of the list"
			default:
				continue
			}
			items = append(items, item)
		}
	}
	return problem.FromItems("the memory cannot be used", items)
}
