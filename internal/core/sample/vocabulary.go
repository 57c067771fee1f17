package sample

import (
	"strconv"
	"strings"

	"github.com/brianvoe/gofakeit/v7/data"
)

// words are a list of words of the library of fake data. Its own functions look a list up, by two names,
// for every word that they draw; they draw the same ones.
type words []string

func (w words) draw(d *Draw) string { return w[d.faker.IntN(len(w))] }

func (w words) plain() words {
	all := make(words, len(w))
	for i, word := range w {
		all[i] = plain(word)
	}
	return all
}

var (
	nouns      = words(data.Word["noun_common"])
	adjectives = words(data.Word["adjective_descriptive"])
	firstNames = words(data.Person["first"])
	lastNames  = words(data.Person["last"])
	sentences  = readSentences(data.Text["sentence"])
	// The same in the letters from a to z alone, for addresses.
	plainNouns, plainFirstNames, plainLastNames = nouns.plain(), firstNames.plain(), lastNames.plain()
)

// adjectiveAndNoun is what a text is of which nothing is known.
func adjectiveAndNoun(d *Draw) string { return adjectives.draw(d) + " " + nouns.draw(d) }

// sentence is a sentence of words and lists: "Deliberately {verbtransitive} the {nouncommon}."
type sentence struct {
	written string
	pieces  []piece // nil where one is not understood
}

// piece is a part of a sentence: text, and a word or a number behind it.
type piece struct {
	text      string
	word      words
	low, high int // of a number, where high is not 0
}

func readSentences(written []string) []sentence {
	lists := map[string]words{
		"city": data.Address["city"], "company": data.Company["name"], "color": data.Colors["full"],
		"hobby": data.Person["hobby"], "productfeature": data.Product["feature"],
	}
	for kind, list := range data.Word {
		lists[strings.ReplaceAll(kind, "_", "")] = list
	}
	all := make([]sentence, len(written))
	for i, text := range written {
		all[i] = sentence{text, readPieces(text, lists)}
	}
	return all
}

// readPieces is nil where a sentence has something in braces that is neither a list nor a number, or
// characters that stand for others.
func readPieces(text string, lists map[string]words) (pieces []piece) {
	if strings.ContainsAny(text, "#?") {
		return nil
	}
	for text != "" {
		before, rest, found := strings.Cut(text, "{")
		p := piece{text: before}
		if found {
			name, after, closed := strings.Cut(rest, "}")
			limits, isNumber := strings.CutPrefix(name, "number:")
			low, high, _ := strings.Cut(limits, ",")
			p.low, _ = strconv.Atoi(low)
			p.high, _ = strconv.Atoi(high)
			if p.word = lists[name]; !closed || len(p.word) == 0 && !(isNumber && p.low < p.high) {
				return nil
			}
			rest = after
		}
		pieces, text = append(pieces, p), rest
	}
	return pieces
}

// sentenceOf draws a sentence.
func sentenceOf(d *Draw) string {
	s := &sentences[d.faker.IntN(len(sentences))]
	var b strings.Builder
	b.Grow(2 * len(s.written))
	if s.pieces == nil {
		text, _ := d.faker.Generate(s.written) // as written where it is not understood there either
		b.WriteString(text)
	}
	for _, p := range s.pieces {
		b.WriteString(p.text)
		switch {
		case p.word != nil:
			b.WriteString(p.word.draw(d))
		case p.high > 0:
			b.WriteString(strconv.Itoa(p.low + d.faker.IntN(p.high-p.low+1)))
		}
	}
	text := b.String()
	return strings.ToUpper(text[:1]) + text[1:]
}

// Digits and letters, so many of them.

func digits(d *Draw, count int) string {
	b := make([]byte, count)
	for i := range b {
		b[i] = '0' + byte(d.faker.IntN(10))
	}
	return string(b)
}

func letters(d *Draw, count int) string {
	const all = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
	b := make([]byte, count)
	for i := range b {
		b[i] = all[d.faker.IntN(len(all))]
	}
	return string(b)
}
