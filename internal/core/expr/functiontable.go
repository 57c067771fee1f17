package expr

import (
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
)

// Function is one that expressions can call, as it is explained: in the reference, by the
// API, and in the console's editor. A test runs the examples.
type Function struct {
	// Name is what is written; Call shows it with its arguments, Group gathers them.
	Name, Group, Call string
	Says              string
	// Example is an expression, Gives what it is worth, as JSON; "" where chance or time
	// have a part in it.
	Example, Gives string
}

// Groups of functions, in the order in which they are explained.
const (
	groupDraw   = "drawn"
	groupTime   = "times"
	groupText   = "texts"
	groupBytes  = "bytes and signatures"
	groupNumber = "numbers"
	groupList   = "lists"
	groupObject = "objects"
	groupFind   = "looking into values"
	groupMemory = "what the service remembers"
)

// Functions are all of them, save those of fake (see FakeKinds) and the operators.
var Functions = []Function{
	{"whole", groupDraw, "random.whole(low, high)", "a whole number, both ends included; with a seed on the service the same call draws the same", "random.whole(3, 3)", "3"},
	{"decimal", groupDraw, "random.decimal(low, high)", "a number with two digits after the point", "random.decimal(1.5, 1.5)", "1.5"},
	{"pick", groupDraw, "random.pick(list)", "one of the elements", `random.pick(["free"])`, `"free"`},
	{"uuid", groupDraw, "uuid()", "a random UUID", "size(uuid())", "36"},
	{"counter", groupDraw, `counter("name")`, "1, 2, 3 … since the start of the service", `counter("bookings")`, "1"},

	{"now", groupTime, "now()", "the time of the call", `now() > timestamp("2020-01-01T00:00:00Z")`, "true"},
	{"addDays", groupTime, "time.addDays(n)", "so many days later", `timestamp("2026-02-27T08:00:00Z").addDays(2)`, `"2026-03-01T08:00:00Z"`},
	{"addMonths", groupTime, "time.addMonths(n)", "so many months later; the last day of a month that has not so many", `timestamp("2026-01-31T08:00:00Z").addMonths(1)`, `"2026-02-28T08:00:00Z"`},
	{"addYears", groupTime, "time.addYears(n)", "so many years later, likewise", `timestamp("2028-02-29T00:00:00Z").addYears(1)`, `"2029-02-28T00:00:00Z"`},
	{"addWorkdays", groupTime, "time.addWorkdays(n)", "so many days later that are neither Saturday nor Sunday", `timestamp("2026-11-27T00:00:00Z").addWorkdays(1)`, `"2026-11-30T00:00:00Z"`},
	{"startOf", groupTime, `time.startOf("week", "Europe/Oslo")`, "the first moment of the day, week (from Monday), month, quarter or year; in UTC without a zone", `timestamp("2026-11-28T10:00:00Z").startOf("quarter")`, `"2026-10-01T00:00:00Z"`},
	{"write", groupTime, `time.write("yyyy-MM-dd HH:mm", "Europe/Oslo")`, "the time by a pattern: letters yyyy yy MMMM MMM MM M dd d EEEE EEE HH hh h mm m ss s SSS a XXX xx z, text in '…'", `timestamp("2026-11-28T10:00:00Z").write("d MMM, HH:mm", "Europe/Oslo")`, `"28 Nov, 11:00"`},
	{"toTime", groupTime, `text.toTime("dd.MM.yyyy")`, "a time that is written by a pattern", `"24.12.2026".toTime("dd.MM.yyyy")`, `"2026-12-24T00:00:00Z"`},

	{"upper", groupText, "text.upper()", "in large letters", `"n7".upper()`, `"N7"`},
	{"lower", groupText, "text.lower()", "in small letters", `"N7".lower()`, `"n7"`},
	{"title", groupText, "text.title()", "with the first letter of each word large", `"north quay".title()`, `"North Quay"`},
	{"trim", groupText, "text.trim()", "without the spaces around it", `" a ".trim()`, `"a"`},
	{"substring", groupText, "text.substring(from, end)", "the characters from one index up to another", `"Skerry".substring(0, 3)`, `"Ske"`},
	{"split", groupText, `text.split(",")`, "its parts", `"a,b".split(",")`, `["a","b"]`},
	{"join", groupText, `list.join(",")`, "texts put together", `["a", "b"].join("-")`, `"a-b"`},
	{"lines", groupText, "text.lines()", "its lines", `"a\r\nb\n".lines()`, `["a","b"]`},
	{"charAt", groupText, "text.charAt(i)", "the character at an index", `"N7".charAt(1)`, `"7"`},
	{"indexOf", groupText, `text.indexOf("a")`, "where a text begins in it; -1 where it does not", `"N7".indexOf("7")`, "1"},
	{"lastIndexOf", groupText, `text.lastIndexOf("a")`, "where it begins for the last time", `"a.b.c".lastIndexOf(".")`, "3"},
	{"lowerAscii", groupText, "text.lowerAscii()", "in small letters, of A to Z alone", `"N7".lowerAscii()`, `"n7"`},
	{"upperAscii", groupText, "text.upperAscii()", "in large letters, of a to z alone", `"n7".upperAscii()`, `"N7"`},
	{"replace", groupText, `text.replace("a", "b")`, "with one text instead of another", `"N7".replace("N", "S")`, `"S7"`},
	{"padStart", groupText, `text.padStart(4, "0")`, "filled up at its start", `"7".padStart(3, "0")`, `"007"`},
	{"padEnd", groupText, `text.padEnd(4, " ")`, "filled up at its end", `"7".padEnd(3, ".")`, `"7.."`},
	{"matches", groupText, `text.matches("^N")`, "whether a pattern (RE2) fits", `"N7".matches("^N[0-9]+$")`, "true"},
	{"find", groupText, `text.find("([0-9]+)")`, "the first group of what fits first, or the whole", `"berth N7, N8".find("N([0-9]+)")`, `"7"`},
	{"findAll", groupText, `text.findAll("[0-9]+")`, "all that fits", `"N7, N8".findAll("[0-9]+")`, `["7","8"]`},
	{"replacePattern", groupText, `text.replacePattern("(N)", "$1-")`, "with what stands for what fits", `"N7 N8".replacePattern("N([0-9])", "$1")`, `"7 8"`},
	{"toURL", groupText, "text.toURL()", "as it stands in a query", `"a b&c".toURL()`, `"a+b%26c"`},
	{"fromURL", groupText, "text.fromURL()", "what stands in a query", `"a+b%26c".fromURL()`, `"a b&c"`},
	{"toJSON", groupText, "value.toJSON()", "as JSON", `{"n": [1, 2.5]}.toJSON()`, `"{\"n\":[1,2.5]}"`},
	{"fromJSON", groupText, "text.fromJSON()", "the value of a text that is JSON", `"[1, 2]".fromJSON()[1]`, "2"},

	{"toBase64", groupBytes, "text.toBase64()", "in base64", `"Tern".toBase64()`, `"VGVybg=="`},
	{"fromBase64", groupBytes, "text.fromBase64()", "the text that it stands for", `"VGVybg==".fromBase64()`, `"Tern"`},
	{"toHex", groupBytes, "text.toHex()", "its bytes in hex", `"N7".toHex()`, `"4e37"`},
	{"fromHex", groupBytes, "text.fromHex()", "the text that it stands for", `"4e37".fromHex()`, `"N7"`},
	{"hexToBase64", groupBytes, "text.hexToBase64()", "bytes in hex, such as a digest, in base64", `"4e37".hexToBase64()`, `"Tjc="`},
	{"md5", groupBytes, "text.md5()", "its digest, in hex", `"N7".md5()`, `"bec20cee5d032151c66d7303207f2f00"`},
	{"sha1", groupBytes, "text.sha1()", "its digest, in hex", `size("N7".sha1())`, "40"},
	{"sha256", groupBytes, "text.sha256()", "its digest, in hex", `size("N7".sha256())`, "64"},
	{"sha512", groupBytes, "text.sha512()", "its digest, in hex", `size("N7".sha512())`, "128"},
	{"hmac", groupBytes, `text.hmac("sha256", key)`, "its code under a key, in hex; by md5, sha1, sha256 or sha512", `"abc".hmac("sha256", "key").hexToBase64()`, `"nBluMtwBdfhvSxy4konWYZ3mvuaZ5MN45oMJ7Zehpqs="`},
	{"sign", groupBytes, `jwt.sign(claims, "HS256", key)`, "a token with these claims; by HS256 … HS512 with a text, RS256 … or ES256 … with a private key in PEM", `jwt.claims(jwt.sign({"sub": "ida"}, "HS256", "key")).sub`, `"ida"`},
	{"verify", groupBytes, `jwt.verify(token, "HS256", key)`, "the claims of a token, after Bearer or alone, whose signature is right; its times are not looked at", `jwt.verify("Bearer " + jwt.sign({"n": 7}, "HS256", "key"), "HS256", "key").n`, "7"},
	{"claims", groupBytes, "jwt.claims(token)", "its claims, whatever its signature", `jwt.claims(jwt.sign({"sub": "ida"}, "HS512", "key"))`, `{"sub":"ida"}`},
	{"payload", groupBytes, `payload("key.pem")`, "a payload of the service as text, such as a key", `payload("key.txt")`, `"secret"`},
	{"payloadBase64", groupBytes, `payloadBase64("chart.png")`, "a payload of the service, such as a picture, in base64", `payloadBase64("key.txt")`, `"c2VjcmV0"`},

	{"digits", groupNumber, `number.digits(2, ",")`, "as a text with so many digits after the point, its thousands apart where a sign is given", `1234.5.digits(2, ",")`, `"1,234.50"`},
	{"decimal", groupNumber, `decimal("12.30")`, "an exact number, for money: + - * / and comparisons with it are exact, and it keeps its digits", `decimal("0.10") + decimal("0.20") * 3`, "0.70"},
	{"round", groupNumber, "decimal.round(2)", "rounded to so many digits after the point, half away from zero", `(decimal("10.00") / 3).round(2)`, "3.33"},

	{"sum", groupList, "list.sum()", "its numbers together", "[1, 2.5, 3].sum()", "6.5"},
	{"min", groupList, "list.min()", "the least of numbers, texts or times", "[3, 1, 2].min()", "1"},
	{"max", groupList, "list.max()", "the greatest", `["a", "c", "b"].max()`, `"c"`},
	{"avg", groupList, "list.avg()", "the mean of its numbers", "[1, 2, 4, 7].avg()", "3.5"},
	{"first", groupList, "list.first()", "its first element", "[7, 8].first()", "7"},
	{"last", groupList, "list.last()", "its last element", "[7, 8].last()", "8"},
	{"sort", groupList, "list.sort()", "in ascending order", "[3, 1, 2].sort()", "[1,2,3]"},
	{"sortBy", groupList, "list.sortBy(x, x.depth)", "in ascending order of what the expression gives", `[{"n": 2}, {"n": 1}].sortBy(b, b.n)`, `[{"n":1},{"n":2}]`},
	{"groupBy", groupList, "list.groupBy(x, x.pier)", "an object of lists, by what the expression gives", `["N7", "S1", "N8"].groupBy(b, b.substring(0, 1))`, `{"N":["N7","N8"],"S":["S1"]}`},
	{"distinct", groupList, "list.distinct()", "each value once", "[1, 1.0, 2, 1].distinct()", "[1,2]"},
	{"reverse", groupList, "list.reverse()", "the other way round", "[1, 2, 3].reverse()", "[3,2,1]"},
	{"slice", groupList, "list.slice(from, end)", "the elements from one index up to another; below 0 they count from the end", "[1, 2, 3, 4].slice(1, -1)", "[2,3]"},
	{"flatten", groupList, "list.flatten()", "with the elements of lists instead of these", "[[1, 2], [3], 4].flatten()", "[1,2,3,4]"},
	{"zip", groupList, "list.zip(other)", "pairs of the elements of two lists", `[1, 2].zip(["a", "b"])`, `[[1,"a"],[2,"b"]]`},
	{"range", groupList, "range(from, end)", "whole numbers; from 0 with one argument", "range(2, 5).map(n, n * n)", "[4,9,16]"},
	{"paged", groupList, "paged(list, page, size)", "one page, counted from 1, as an object: items, page, size, total, pages, previous, next, links", `paged([1, 2, 3], "2", 2)`, `{"items":[3],"links":{"first":"?page=1&size=2","last":"?page=2&size=2","previous":"?page=1&size=2","self":"?page=2&size=2"},"next":null,"page":2,"pages":2,"previous":1,"size":2,"total":3}`},

	{"merge", groupObject, "object.merge(other)", "with the members of both; the other's win", `{"a": 1, "b": 2}.merge({"b": 3})`, `{"a":1,"b":3}`},
	{"without", groupObject, `object.without(["a"])`, "without some of its members", `{"a": 1, "b": 2}.without(["a"])`, `{"b":2}`},
	{"keys", groupObject, "object.keys()", "its names", `{"b": 2, "a": 1}.keys()`, `["a","b"]`},
	{"values", groupObject, "object.values()", "its values", `{"b": 2, "a": 1}.values()`, "[1,2]"},
	{"entries", groupObject, "object.entries()", "its members, as objects with key and value", `{"a": 1}.entries()`, `[{"key":"a","value":1}]`},

	{"jsonpath", groupFind, `jsonpath(value, "$.a")`, "the first value that a JSONPath (RFC 9535) finds, in a value or in a text that is JSON", `jsonpath({"a": [1, 2]}, "$.a[1]")`, "2"},
	{"jsonpathAll", groupFind, `jsonpathAll(value, "$..a")`, "all of them", `jsonpathAll({"a": [1, 2]}, "$.a[*]")`, "[1,2]"},
	{"xpath", groupFind, `xpath(text, "//a")`, "the first text that an XPath finds in XML", `xpath("<a><b>N7</b></a>", "//b")`, `"N7"`},
	{"xpathAll", groupFind, `xpathAll(text, "//a")`, "all of them", `xpathAll("<a><b>1</b><b>2</b></a>", "//b")`, `["1","2"]`},

	{"recall", groupMemory, `recall("key", default)`, "what an answer remembered under a key, as it was before the call; the default where there is nothing, null without one", `recall("free/N7", 3) - 1`, "2"},
	{"state", groupMemory, `state("flow", thing)`, "the state of a thing in a flow; start where no call has moved it", `state("permit", "P-7")`, `"start"`},
}

// FunctionNames are the functions that can be called beside those of CEL itself.
func FunctionNames() (names []string) {
	env, err := environment()
	if err != nil {
		return nil
	}
	standard, err := cel.NewEnv()
	if err != nil {
		return nil
	}
	for name := range env.Functions() {
		if _, known := standard.Functions()[name]; known || strings.ContainsAny(name, "@_.") || slices.Contains(FakeKinds, name) {
			continue
		}
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
