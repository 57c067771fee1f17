package sample

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is drawn from lists is what the library draws itself.
func TestWordsAreThoseOfTheLibrary(t *testing.T) {
	understood := 0
	for _, s := range sentences {
		if s.pieces != nil {
			understood++
		}
	}
	assert.Equal(t, len(sentences), understood)
	for n := range uint64(3_000) {
		ours, theirs := NewDraw(7, "words", n), NewDraw(7, "words", n)
		assert.Equal(t, theirs.faker.Sentence(), sentenceOf(ours), n)
		assert.Equal(t, theirs.faker.AdjectiveDescriptive()+" "+theirs.faker.NounCommon(), adjectiveAndNoun(ours), n)
		assert.Equal(t, theirs.faker.FirstName()+theirs.faker.LastName(), firstNames.draw(ours)+lastNames.draw(ours), n)
		assert.Equal(t, theirs.faker.DigitN(5)+theirs.faker.LetterN(9), digits(ours, 5)+letters(ours, 9), n)
	}
	for text, want := range map[string]int{"{nouncommon}": 1, "a {nouncommon} b {number:1,4}": 2, "a": 1, "{seagull}": 0, "{nouncommon": 0, "a # b": 0, "{number:4,1}": 0} {
		assert.Len(t, readPieces(text, map[string]words{"nouncommon": nouns}), want, text)
	}
}
