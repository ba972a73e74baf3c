package live

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"log/slog"
	"runtime/debug"
	"strings"

	"hellebore/core/ground/phrase"
)

// Incident is a mistake of the program that was caught: the log has it under its
// number.
type Incident struct{ Number string }

func (e *Incident) Error() string {
	return phrase.Say("a mistake in the program ended this; nothing else is affected. The server's log says more under the number %s", e.Number)
}

// Broken says that a lab's journal cannot be replayed. Its texts and its journal
// are kept, and can be read.
type Broken struct{ *Incident }

func (e *Broken) Error() string {
	return phrase.Say("the lab's journal cannot be replayed; its texts are kept. The server's log says more under the number %s", e.Number)
}

// Unwrap is the incident.
func (e *Broken) Unwrap() error { return e.Incident }

// Report writes a panic, or what else should not be, to the log under a number.
func Report(what string, cause any) *Incident { return report(what, "", cause, debug.Stack()) }

func report(what, id string, cause any, stack []byte) *Incident {
	b := make([]byte, 4)
	_, _ = rand.Read(b) // never fails (crypto/rand)
	e := &Incident{hex.EncodeToString(b)}
	slog.Error(what, "incident", e.Number, "lab", id, "error", fmt.Sprint(cause), "stack",
		strings.TrimSpace(string(stack)))
	return e
}

// guard runs a function, and makes an incident of its panic.
func guard(what, id string, do func() error) (err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = report(what+" panicked", id, cause, debug.Stack())
		}
	}()
	return do()
}
