package api

import (
	"bytes"
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestDocumentIsCurrent(t *testing.T) {
	want, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	b, err := Document()
	require.NoError(t, err)
	var got bytes.Buffer
	require.NoError(t, json.Indent(&got, b, "", "  "))
	require.JSONEq(t, got.String(), string(want), "run make docs")
}
