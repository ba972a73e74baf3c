// Package phrase is where every sentence of the core is made: English unless another
// language is in use. Rooms decide what to say; only this package knows how it is
// said in a language.
package phrase

import (
	"errors"
	"fmt"
	"strings"
)

// Language says the product's sentences in one language.
type Language interface {
	// Sentence is an English sentence or part of one in this language: a format of
	// package fmt, whose verbs may be numbered to change their order (%[2]s), or a text
	// with placeholders in braces. ok is false for what the language lacks: it stays
	// English.
	Sentence(english string) (said string, ok bool)
	// Count is a number with its noun; the noun is English and singular.
	Count(n int, noun string) (said string, ok bool)
}

// inUse is the language of the process, nil for English.
var inUse Language

// Use says everything in a language from now on, or in English if it is nil. It is
// called before the first question is asked; what has been said stays as it is.
func Use(l Language) { inUse = l }

// Text is a sentence, or a part of one, that has no values.
func Text(english string) string {
	if inUse != nil && english != "" {
		if said, ok := inUse.Sentence(english); ok {
			return said
		}
	}
	return english
}

// Say is a sentence, or a part of one, with its values.
func Say(format string, values ...any) string {
	if inUse == nil {
		return fmt.Sprintf(format, values...)
	}
	return fmt.Sprintf(Text(format), values...)
}

// Errorf is an error that says a sentence; %w wraps one, as in fmt.
func Errorf(format string, values ...any) error {
	if inUse == nil {
		return fmt.Errorf(format, values...)
	}
	return fmt.Errorf(Text(format), values...)
}

// Error is an error that says a sentence without values.
func Error(english string) error { return errors.New(Text(english)) }

// OrNone is a value, or the word for none.
func OrNone(value string) string {
	if value == "" {
		return Text("none")
	}
	return value
}

// Plural is a number with its noun: "1 route", "3 prefixes".
func Plural(n int, noun string) string {
	if inUse != nil {
		if said, ok := inUse.Count(n, noun); ok {
			return said
		}
	}
	switch {
	case n == 1:
		return "1 " + noun
	case strings.HasSuffix(noun, "ex"):
		return fmt.Sprintf("%d %sices", n, strings.TrimSuffix(noun, "ex"))
	case strings.HasSuffix(noun, "x"):
		return fmt.Sprintf("%d %ses", n, noun)
	case strings.HasSuffix(noun, "cy"):
		return fmt.Sprintf("%d %sies", n, strings.TrimSuffix(noun, "y"))
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// List is a list of names, cut short when long: "a, b and c", "a, b, c and 4 more".
func List(names []string) string {
	const most = 4
	if len(names) > most {
		return Say("%s and %d more", strings.Join(names[:most-1], ", "), len(names)-most+1)
	}
	if len(names) > 1 {
		return Say("%s and %s", strings.Join(names[:len(names)-1], ", "), names[len(names)-1])
	}
	return strings.Join(names, "")
}
