// Command hellebore serves the workbench, and runs labs without a browser.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/server/api"
)

// Exit codes.
const (
	exitOK       = 0
	exitFailed   = 1 // a check failed, something is different, or a change would be taken back
	exitBadInput = 2
	exitNoAnswer = 3 // the lab does not settle, or was stopped before it did
)

// errFailed ends with exitFailed; what failed has been said.
var errFailed = errors.New("failed")

// errUnsettled, errLeft and errStopped end with exitNoAnswer.
var (
	errLeft      = errors.New("a wait takes too much work and was left before its time was up; wait less")
	errUnsettled = errors.New("the lab does not settle; see above what keeps moving")
	errStopped   = errors.New("stopped before the lab settled")
)

func main() { os.Exit(execute(os.Args[1:])) }

// commands is the root command with all others.
func commands() *cobra.Command {
	root := &cobra.Command{
		Use:           "hellebore",
		Short:         "A workbench for OSPF and BGP on simulated routers",
		Version:       api.Version,
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), runCommand(), previewCommand(), compareCommand(), whyCommand(), checkCommand(),
		sweepCommand(), workerCommand(), formatCommand(), editCommand(),
		versionCommand(), referenceCommand(), documentCommand(), schemaCommand())
	return root
}

func execute(args []string) int {
	root := commands()
	root.SetArgs(args)
	err := root.Execute()
	switch {
	case err == nil:
		return exitOK
	case errors.Is(err, errFailed):
		return exitFailed
	case errors.Is(err, errUnsettled), errors.Is(err, errLeft), errors.Is(err, errStopped):
		fmt.Fprintln(os.Stderr, "hellebore:", err)
		return exitNoAnswer
	}
	fmt.Fprintln(os.Stderr, "hellebore:", err)
	return exitBadInput
}

func versionCommand() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version of program and engine", Args: cobra.NoArgs,
		Run: func(cmd *cobra.Command, _ []string) {
			fmt.Fprintf(cmd.OutOrStdout(), "hellebore %s, engine %s\n", api.Version, history.Engine)
		}}
}

func referenceCommand() *cobra.Command {
	return &cobra.Command{Use: "reference", Short: "Print the reference of the lab language", Args: cobra.NoArgs,
		Run: func(cmd *cobra.Command, _ []string) { fmt.Fprint(cmd.OutOrStdout(), labtext.Reference()) }}
}

func documentCommand() *cobra.Command {
	return &cobra.Command{Use: "openapi", Short: "Print the OpenAPI document of the server", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			b, err := api.Document()
			if err != nil {
				return err
			}
			var pretty bytes.Buffer
			if err := json.Indent(&pretty, b, "", "  "); err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), pretty.String())
			return nil
		}}
}
