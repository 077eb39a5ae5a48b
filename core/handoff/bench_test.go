package handoff

import (
	"bytes"
	"context"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"

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

// BenchmarkAgainstVips makes the six maps of a 4K material as full-depth PNGs, from files to files, and has vips write the
// same files at the same settings, turn about and on as many cores. It reports how many times as long ours takes.
func BenchmarkAgainstVips(b *testing.B) {
	vips, err := exec.LookPath("vips")
	if err != nil {
		b.Skip("vips is not here to compare with")
	}
	m, images := scanned(b, "slates_round", 4096)
	w, h := images[material.Normal].W, images[material.Normal].H
	height := raster.New(w, h, 1, 16)
	for i, v := range images[material.Normal].Ints(0) {
		height.Ints(0)[i] = v
	}
	images[material.Height] = height
	m.Put(material.Source{Channel: material.Height, Map: &material.Map{Blob: "height", Component: "rgb", Width: w, Height: h, Bits: 16}})
	dir := b.TempDir()
	p := Profile{Name: "six maps"}
	p.complete()
	var names []string
	for _, s := range m.Sources {
		var file bytes.Buffer
		if err := png.Encode(&file, images[s.Channel], png.Options{}); err != nil {
			b.Fatal(err)
		}
		name := filepath.Join(dir, s.Map.Blob+".png")
		if err := os.WriteFile(name, file.Bytes(), 0o644); err != nil {
			b.Fatal(err)
		}
		names = append(names, name)
		p.Files = append(p.Files, MapFile{Holds: []Component{{Channel: s.Channel}}, Format: PNG})
	}
	m.Open = func(k *material.Map, _ string, _ int) (*raster.Image, error) {
		data, err := os.ReadFile(filepath.Join(dir, k.Blob+".png"))
		if err != nil {
			return nil, err
		}
		im, _, err := codec.Decode(data, codec.DefaultLimits)
		return im, err
	}
	t := colour.NewTables()
	var ours, theirs time.Duration
	for b.Loop() {
		start := time.Now()
		err := Make(context.Background(), m, Form{Profile: p}, t, func(name string, data []byte) error {
			return os.WriteFile(filepath.Join(dir, "ours-"+filepath.Base(name)), data, 0o644)
		})
		if err != nil {
			b.Fatal(err)
		}
		ours += time.Since(start)
		start = time.Now()
		var wg sync.WaitGroup
		slots := make(chan struct{}, runtime.GOMAXPROCS(0))
		for _, name := range names {
			slots <- struct{}{}
			wg.Go(func() {
				if out, err := exec.Command(vips, "copy", name, name+".vips.png[compression=3,filter=all]").CombinedOutput(); err != nil {
					b.Errorf("vips: %v: %s", err, out)
				}
				<-slots
			})
		}
		wg.Wait()
		theirs += time.Since(start)
	}
	b.ReportMetric(float64(ours)/float64(theirs), "times/vips")
}
