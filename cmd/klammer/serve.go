package main

import "github.com/spf13/cobra"

func serveCmd() *cobra.Command { return &cobra.Command{Use: "serve"} }
