package check_test

import (
	"bytes"
	"encoding/xml"
	"testing"

	"github.com/stretchr/testify/require"

	"hellebore/core/questions/check"
)

func TestJUnit(t *testing.T) {
	results := run(t, `check "holds & holds"
  expect reach mill -> crane
check "fails"
  when cut mill.e1
  expect neighbour mill halt up
  expect reach mill -> crane
check "cannot be tried"
  when cut mill.e1
  when cut mill.e1
  expect reach mill -> crane
`)
	var b bytes.Buffer
	require.NoError(t, check.JUnit(&b, "railway.lab", results))
	var suite struct {
		XMLName  xml.Name `xml:"testsuite"`
		Name     string   `xml:"name,attr"`
		Tests    int      `xml:"tests,attr"`
		Failures int      `xml:"failures,attr"`
		Errors   int      `xml:"errors,attr"`
		Cases    []struct {
			Name    string `xml:"name,attr"`
			Failure *struct {
				Message string `xml:"message,attr"`
				Text    string `xml:",chardata"`
			} `xml:"failure"`
			Error *struct {
				Message string `xml:"message,attr"`
			} `xml:"error"`
			Out string `xml:"system-out"`
		} `xml:"testcase"`
	}
	require.NoError(t, xml.Unmarshal(b.Bytes(), &suite))
	require.Equal(t, []int{3, 1, 1}, []int{suite.Tests, suite.Failures, suite.Errors})
	require.Equal(t, "holds & holds", suite.Cases[0].Name)
	require.Nil(t, suite.Cases[0].Failure)
	require.Contains(t, suite.Cases[0].Out, "expect reach mill -> crane: passes: mill - halt - crane")
	require.Contains(t, suite.Cases[1].Failure.Message, "neighbour mill halt up: ospf Down")
	require.NotContains(t, suite.Cases[1].Failure.Message, "reach", "only what failed")
	require.Contains(t, suite.Cases[1].Failure.Text, "when cut mill.e1\n")
	require.Contains(t, suite.Cases[2].Error.Message, "is cut already")
	require.Equal(t, "fails", check.Of(results, "fails").Name)
	require.Nil(t, check.Of(results, "nobody"))
}
