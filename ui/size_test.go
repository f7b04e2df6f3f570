package ui_test

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
)

// most is how many bytes of script a page may need before anything of it shows: what the
// entry names is what the browser fetches first, and views come when they are opened.
const most = 250_000

// TestFirstScript: what is loaded first stays small.
func TestFirstScript(t *testing.T) {
	page, err := os.ReadFile("dist/index.html")
	if os.IsNotExist(err) {
		t.Skip("the front end is not built: ./run test does")
	}
	require.NoError(t, err)
	sum, names := 0, regexp.MustCompile(`"/(assets/[^"]+\.js)"`).FindAllSubmatch(page, -1)
	require.NotEmpty(t, names)
	for _, name := range names {
		info, err := os.Stat(filepath.Join("dist", string(name[1])))
		require.NoError(t, err)
		sum += int(info.Size())
	}
	require.Less(t, sum, most, "%d scripts", len(names))
}
