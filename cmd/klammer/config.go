package main

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/BurntSushi/toml"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"klammer/core/office"
)

// envOf is how a flag is called in the environment.
func envOf(flag string) string {
	return "KLAMMER_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// configured sets the flags that were not said from the environment, and what that does
// not say from a file, which has the words of klammer serve; a word that is none is
// refused, with the nearest that is one.
func configured(cmd *cobra.Command, file string) error {
	words := cmd
	if cmd.Name() != "serve" {
		words = serveCmd()
	}
	known := map[string]*pflag.Flag{}
	words.LocalFlags().VisitAll(func(flag *pflag.Flag) {
		if flag.Name != "config" && flag.Name != "help" {
			known[flag.Name] = cmd.Flags().Lookup(flag.Name) // nil for what the command does not ask for
		}
	})
	said := map[string][]string{}
	if file != "" {
		var words map[string]any
		if _, err := toml.DecodeFile(file, &words); err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		for word, value := range words {
			if _, ok := known[word]; !ok {
				text := fmt.Sprintf("%s: %q is no setting", file, word)
				var names []string
				for name := range known {
					names = append(names, name)
				}
				slices.Sort(names)
				if near := office.Nearest(word, names); near != "" {
					text += fmt.Sprintf(": did you mean %q?", near)
				}
				return fmt.Errorf("%s", text)
			}
			list, ok := value.([]any)
			if !ok {
				list = []any{value}
			}
			for _, x := range list {
				said[word] = append(said[word], fmt.Sprint(x))
			}
		}
	}
	for name, flag := range known {
		if flag == nil {
			continue
		}
		from := file
		values := said[name]
		if env, ok := os.LookupEnv(envOf(name)); ok && env != "" {
			values, from = []string{env}, envOf(name)
		}
		if flag.Changed {
			continue
		}
		for _, v := range values {
			if err := cmd.Flags().Set(name, v); err != nil {
				return fmt.Errorf("%s: %s: %w", from, name, err)
			}
		}
	}
	return nil
}
