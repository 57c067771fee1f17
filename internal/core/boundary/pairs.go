package boundary

// Pairs are combinations of the values of several fields, in which each pair of values of two
// fields occurs in at least one: far fewer than all combinations, and enough for what two fields
// cause together. counts says how many values each field has; a combination has the index of one
// of each. It grows the combinations field by field (in parameter order), and is the same for the
// same counts.
func Pairs(counts []int) (combinations [][]int) {
	if len(counts) == 0 {
		return nil
	}
	if len(counts) == 1 {
		for i := range counts[0] {
			combinations = append(combinations, []int{i})
		}
		return combinations
	}
	for a := range counts[0] {
		for b := range counts[1] {
			combinations = append(combinations, []int{a, b})
		}
	}
	for field := 2; field < len(counts); field++ {
		combinations = grow(combinations, counts, field)
	}
	for _, one := range combinations {
		for field, value := range one {
			if value < 0 { // any will do
				one[field] = 0
			}
		}
	}
	return combinations
}

// pair is a value of the new field with one of an earlier field.
type pair struct{ field, value, of int }

// grow adds a field to combinations: to each the value that covers most pairs which are not
// covered yet, then further combinations for the rest.
func grow(combinations [][]int, counts []int, field int) [][]int {
	open := make(map[pair]bool)
	for earlier := range field {
		for value := range counts[earlier] {
			for of := range counts[field] {
				open[pair{earlier, value, of}] = true
			}
		}
	}
	for i, one := range combinations {
		best, most := i%counts[field], -1
		for of := range counts[field] {
			covered := 0
			for earlier, value := range one {
				if open[pair{earlier, value, of}] {
					covered++
				}
			}
			if covered > most {
				best, most = of, covered
			}
		}
		for earlier, value := range one {
			delete(open, pair{earlier, value, best})
		}
		combinations[i] = append(one, best)
	}
	grown := len(combinations)
	for earlier := range field { // in order, so that it is always the same
		for value := range counts[earlier] {
			for of := range counts[field] {
				p := pair{earlier, value, of}
				if !open[p] {
					continue
				}
				delete(open, p)
				if one := fitting(combinations[grown:], p, field); one != nil {
					one[earlier] = value
					continue
				}
				fresh := make([]int, field+1)
				for i := range fresh {
					fresh[i] = -1
				}
				fresh[earlier], fresh[field] = value, of
				combinations = append(combinations, fresh)
			}
		}
	}
	return combinations
}

// fitting is a combination that can take a pair; nil for none.
func fitting(combinations [][]int, p pair, field int) []int {
	for _, one := range combinations {
		if one[field] == p.of && one[p.field] < 0 {
			return one
		}
	}
	return nil
}
