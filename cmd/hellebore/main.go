package main

import (
	"fmt"

	"hellebore/core/labtext"
)

func main() { fmt.Print(labtext.Reference()) }
