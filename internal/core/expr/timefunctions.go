package expr

import (
	"fmt"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // the zones of the world, whatever the machine has

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// timeOptions are the functions on times, beside those of CEL.
func timeOptions() []cel.EnvOption {
	add := func(name string, do func(time.Time, int) time.Time) cel.EnvOption {
		return cel.Function(name, cel.MemberOverload("time_"+name, []*cel.Type{cel.TimestampType, cel.IntType}, cel.TimestampType,
			cel.BinaryBinding(func(t, n ref.Val) ref.Val {
				return types.Timestamp{Time: do(t.(types.Timestamp).Time, int(n.(types.Int)))}
			})))
	}
	texts := func(count int, head *cel.Type) []*cel.Type {
		list := []*cel.Type{head}
		for range count {
			list = append(list, cel.StringType)
		}
		return list
	}
	format, parse := cel.FunctionBinding(formatTime), cel.FunctionBinding(parseTime)
	return []cel.EnvOption{
		add("addDays", func(t time.Time, n int) time.Time { return t.AddDate(0, 0, n) }),
		add("addMonths", addMonths),
		add("addYears", func(t time.Time, n int) time.Time { return addMonths(t, 12*n) }),
		add("addWorkdays", addWorkdays),
		cel.Function("startOf", cel.MemberOverload("time_startOf", texts(1, cel.TimestampType), cel.TimestampType, cel.FunctionBinding(startOf)),
			cel.MemberOverload("time_startOf_zone", texts(2, cel.TimestampType), cel.TimestampType, cel.FunctionBinding(startOf))),
		cel.Function("write", cel.MemberOverload("time_write", texts(1, cel.TimestampType), cel.StringType, format),
			cel.MemberOverload("time_write_zone", texts(2, cel.TimestampType), cel.StringType, format)),
		cel.Function("toTime", cel.MemberOverload("text_toTime", texts(1, cel.StringType), cel.TimestampType, parse),
			cel.MemberOverload("text_toTime_zone", texts(2, cel.StringType), cel.TimestampType, parse)),
	}
}

// addMonths keeps the day, or takes the last one of a month that has not so many: 31
// January and a month are 28 or 29 February.
func addMonths(t time.Time, n int) time.Time {
	year, month, day := t.Date()
	last := time.Date(year, month+time.Month(n)+1, 0, 0, 0, 0, 0, t.Location()).Day()
	return time.Date(year, month+time.Month(n), min(day, last), t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), t.Location())
}

// addWorkdays goes on by days that are neither Saturday nor Sunday: from a weekend, too,
// one workday on is Monday.
func addWorkdays(t time.Time, n int) time.Time {
	step := 1
	if n < 0 {
		step, n = -1, -n
	}
	for n > 0 && isWeekend(t) {
		t = t.AddDate(0, 0, -step)
	}
	n = min(n, most)
	t = t.AddDate(0, 0, step*7*(n/5)) // a week has five
	for n %= 5; n > 0; {
		if t = t.AddDate(0, 0, step); !isWeekend(t) {
			n--
		}
	}
	return t
}

func isWeekend(t time.Time) bool { return t.Weekday() == time.Saturday || t.Weekday() == time.Sunday }

// startOf is the first moment of the day, week (from Monday), month, quarter or year that
// a time lies in, in UTC or in a zone.
func startOf(args ...ref.Val) ref.Val {
	zone, err := zoneOf(args)
	if err != nil {
		return types.WrapErr(err)
	}
	year, month, day := args[0].(types.Timestamp).Time.In(zone).Date()
	weekday := int(args[0].(types.Timestamp).Time.In(zone).Weekday())
	switch part := string(args[1].(types.String)); part {
	case "day":
	case "week":
		day -= (weekday + 6) % 7
	case "month":
		day = 1
	case "quarter":
		month, day = month-(month-1)%3, 1
	case "year":
		month, day = time.January, 1
	default:
		return types.NewErr("startOf takes day, week, month, quarter or year, not %q", part)
	}
	return types.Timestamp{Time: time.Date(year, month, day, 0, 0, 0, 0, zone)}
}

// timeTokens are the letters of a pattern for times (those of Unicode's CLDR),
// the longer before the shorter, with what Go writes for them.
var timeTokens = []struct{ letters, layout string }{
	{"yyyy", "2006"}, {"yy", "06"}, {"MMMM", "January"}, {"MMM", "Jan"}, {"MM", "01"}, {"M", "1"}, {"dd", "02"}, {"d", "2"},
	{"EEEE", "Monday"}, {"EEE", "Mon"}, {"HH", "15"}, {"hh", "03"}, {"h", "3"}, {"mm", "04"}, {"m", "4"}, {"ss", "05"}, {"s", "5"},
	{"SSS", "000"}, {"a", "PM"}, {"XXX", "Z07:00"}, {"xx", "-0700"}, {"z", "MST"},
}

// layoutPiece is a piece of one of Go's layouts, or a text that stands for
// itself.
type layoutPiece struct {
	layout string
	text   bool
}

// layoutOf cuts a pattern such as "yyyy-MM-dd'T'HH:mm" into pieces.
func layoutOf(pattern string) (pieces []layoutPiece, err error) {
next:
	for pattern != "" {
		if pattern[0] == '\'' {
			end := strings.IndexByte(pattern[1:], '\'')
			if end < 0 {
				return nil, fmt.Errorf("the pattern opens a ' and does not close it")
			}
			pieces = append(pieces, layoutPiece{pattern[1 : 1+end], true})
			pattern = pattern[end+2:]
			continue
		}
		for _, token := range timeTokens {
			if strings.HasPrefix(pattern, token.letters) {
				pieces = append(pieces, layoutPiece{token.layout, false})
				pattern = pattern[len(token.letters):]
				continue next
			}
		}
		if c := pattern[0]; c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' {
			return nil, fmt.Errorf("%q is not a letter of patterns for times (yyyy-MM-dd HH:mm:ss; text stands in '…')", string(c))
		}
		pieces = append(pieces, layoutPiece{pattern[:1], true})
		pattern = pattern[1:]
	}
	return pieces, nil
}

// zones holds those that were asked for: there are but some hundreds.
var zones sync.Map

func zoneOf(args []ref.Val) (*time.Location, error) {
	if len(args) < 3 {
		return time.UTC, nil
	}
	name := string(args[2].(types.String))
	if known, ok := zones.Load(name); ok {
		return known.(*time.Location), nil
	}
	zone, err := time.LoadLocation(name)
	if err != nil || name == "Local" { // the machine's own would differ from one to the next
		return nil, fmt.Errorf("there is no time zone %q (such as Europe/Oslo)", name)
	}
	zones.Store(name, zone)
	return zone, nil
}

// formatTime writes a time by a pattern, in UTC or in a zone.
func formatTime(args ...ref.Val) ref.Val {
	pieces, err := layoutOf(string(args[1].(types.String)))
	if err != nil {
		return types.WrapErr(err)
	}
	zone, err := zoneOf(args)
	if err != nil {
		return types.WrapErr(err)
	}
	t := args[0].(types.Timestamp).Time.In(zone)
	var b strings.Builder
	for _, p := range pieces {
		switch {
		case p.text:
			b.WriteString(p.layout)
		case p.layout == "000":
			fmt.Fprintf(&b, "%03d", t.Nanosecond()/1_000_000)
		default:
			b.WriteString(t.Format(p.layout))
		}
	}
	return types.String(b.String())
}

// parseTime reads a time by a pattern; where that names no zone, in UTC or the
// zone given.
func parseTime(args ...ref.Val) ref.Val {
	pieces, err := layoutOf(string(args[1].(types.String)))
	if err != nil {
		return types.WrapErr(err)
	}
	zone, err := zoneOf(args)
	if err != nil {
		return types.WrapErr(err)
	}
	var layout strings.Builder
	for _, p := range pieces {
		layout.WriteString(p.layout)
	}
	text, pattern := string(args[0].(types.String)), string(args[1].(types.String))
	t, err := time.ParseInLocation(layout.String(), text, zone)
	if err != nil {
		return types.NewErr("%q is no time as %s", text, pattern)
	}
	return types.Timestamp{Time: t}
}
