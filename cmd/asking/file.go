package asking

import (
	"encoding/json"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"klammer/core/notation"
)

// Status is an exit status that a command asks for, its message already said.
type Status int

func (s Status) Error() string { return fmt.Sprintf("exit status %d", int(s)) }

// Read reads an office; every mistake in it goes to standard error, a line
// each, and what was taken otherwise than it is written.
func Read(cmd *cobra.Command, file string) (*notation.File, error) {
	name, text, err := file, []byte(nil), error(nil)
	if file == "-" {
		name = "standard input"
		text, err = io.ReadAll(cmd.InOrStdin())
	} else {
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, err
	}
	one, err := notation.Read(name, string(text))
	if err != nil {
		fmt.Fprintln(cmd.ErrOrStderr(), err)
		return nil, Status(2)
	}
	for _, said := range one.Said {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s:%d:%d: %s\n", name, said.Line, said.Column, said.Text)
	}
	return one, nil
}

// PrintJSON prints one document.
func PrintJSON(cmd *cobra.Command, v any) error {
	encoder := json.NewEncoder(cmd.OutOrStdout())
	encoder.SetEscapeHTML(false)
	return encoder.Encode(v)
}
