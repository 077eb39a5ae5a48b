package channels

import (
	"fmt"
	"testing"
)

// Twenty thousand files of made deliveries, each in a folder of its own, and flat in one.
func BenchmarkSort20000(b *testing.B) {
	for _, flat := range []bool{false, true} {
		b.Run(map[bool]string{false: "folders", true: "flat"}[flat], func(b *testing.B) {
			var files []File
			for i := 0; len(files) < 20000; i++ {
				for _, f := range deliver(b, i%len(kinds), i, false).files {
					f.Path = fmt.Sprintf("d%d/%s", i, f.Path)
					if flat {
						f.Path = fmt.Sprintf("s%d_%s", i, f.Path[len(fmt.Sprintf("d%d/", i)):])
					}
					files = append(files, f)
				}
			}
			b.ResetTimer()
			for range b.N {
				Sort(files)
			}
		})
	}
}
