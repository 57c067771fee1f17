package spec

// PayloadRule says in words what PayloadName demands.
const PayloadRule = "letters, digits, `.`, `_` and `-`, beginning with a letter or digit, at most 128"

// PayloadName reports whether a payload can have this name: that of a file
// without folders.
func PayloadName(name string) bool { return mappingID.MatchString(name) }
