package handoff

import (
	"bytes"
	"context"
	"io"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/codec/png"
	"aldermoor/core/colour"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// BenchmarkHandoff makes a handoff at the source's tier from maps that are read from their
// files, as a release's are, and says how often one is decoded.
func BenchmarkHandoff(b *testing.B) {
	m, _ := scanned(b, "grating_iron", 2048)
	loads := 0
	for i := range m.Maps {
		im, err := m.Maps[i].Load()
		if err != nil {
			b.Fatal(err)
		}
		var file bytes.Buffer
		if err := png.Encode(&file, im, png.Options{}); err != nil {
			b.Fatal(err)
		}
		m.Maps[i].Load = func() (*raster.Image, error) {
			loads++
			out, _, err := codec.Decode(file.Bytes(), codec.DefaultLimits)
			return out, err
		}
	}
	t := colour.NewTables()
	for b.Loop() {
		if err := Write(context.Background(), io.Discard, m, Profile{Tier: scale.SourceTier}, t); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(loads)/float64(b.N)/float64(len(m.Maps)), "decodes/map")
}
