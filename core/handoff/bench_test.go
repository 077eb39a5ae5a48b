package handoff

import (
	"bytes"
	"context"
	"io"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/codec/png"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// BenchmarkHandoff makes a handoff at the source's tier from maps that are read from their
// files, as a release's are, and says how often one is decoded.
func BenchmarkHandoff(b *testing.B) {
	m, _ := scanned(b, "grating_iron", 2048)
	loads, files := 0, map[string][]byte{}
	for _, src := range m.Sources {
		im, err := m.Open(src.Map, "", 0)
		if err != nil {
			b.Fatal(err)
		}
		var file bytes.Buffer
		if err := png.Encode(&file, im, png.Options{}); err != nil {
			b.Fatal(err)
		}
		files[src.Map.Blob] = file.Bytes()
	}
	m.Open = func(p *material.Map, _ string, _ int) (*raster.Image, error) {
		loads++
		out, _, err := codec.Decode(files[p.Blob], codec.DefaultLimits)
		return out, err
	}
	t := colour.NewTables()
	for b.Loop() {
		if err := Write(context.Background(), io.Discard, m, usual{Tier: scale.SourceTier}.form(), t); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(loads)/float64(b.N)/float64(len(m.Sources)), "decodes/map")
}
