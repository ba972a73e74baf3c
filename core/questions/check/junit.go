package check

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// The parts of the JUnit XML form that pipelines read.
type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Errors   int         `xml:"errors,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string        `xml:"name,attr"`
	Class   string        `xml:"classname,attr"`
	Failure *junitProblem `xml:"failure,omitempty"`
	Error   *junitProblem `xml:"error,omitempty"`
	Out     string        `xml:"system-out,omitempty"`
}

type junitProblem struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

// JUnit writes results as JUnit XML, as pipelines read it: one test case per check.
func JUnit(out io.Writer, lab string, results []Result) error {
	s := junitSuite{Name: lab, Tests: len(results), Cases: []junitCase{}}
	for _, r := range results {
		c := junitCase{Name: r.Name, Class: lab}
		switch said := Words(r); {
		case r.Error != "":
			s.Errors++
			c.Error = &junitProblem{r.Error, r.Error}
		case !r.Passed:
			s.Failures++
			c.Failure = &junitProblem{strings.Join(failed(r), "; "), said}
		default:
			c.Out = said
		}
		s.Cases = append(s.Cases, c)
	}
	if _, err := io.WriteString(out, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(out)
	e.Indent("", "  ")
	if err := e.Encode(s); err != nil {
		return err
	}
	_, err := io.WriteString(out, "\n")
	return err
}

func failed(r Result) (out []string) {
	for _, o := range r.Outcomes {
		if !o.Passed {
			out = append(out, o.Expects+": "+o.Says)
		}
	}
	return out
}

// Words is a result in words: one line per expectation, with what was found.
func Words(r Result) string {
	var b strings.Builder
	for _, w := range r.When {
		fmt.Fprintf(&b, "when %s\n", w)
	}
	for _, o := range r.Outcomes {
		verdict := "passes"
		if !o.Passed {
			verdict = "fails"
		}
		fmt.Fprintf(&b, "expect %s: %s: %s\n", o.Expects, verdict, o.Says)
	}
	if r.Error != "" {
		fmt.Fprintf(&b, "could not be tried: %s\n", r.Error)
	}
	return b.String()
}
