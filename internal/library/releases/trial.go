package releases

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/handoff"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// A trial shows what a profile makes of a release before the profile is saved: the files as
// they would be, with pictures of what is really written at a small size.

// trialTier is the size that a trial is made at, pixels on the longer side.
const trialTier scale.Tier = 256

// trialPx is how large a trial's pictures are.
const trialPx = 96

// Trial is what a profile makes of a release.
type Trial struct {
	Key     string
	Files   []TrialFile
	Others  []string // descriptions and texts
	Missing map[material.Channel]string
	Losses  []handoff.Loss // what its descriptions have no place for
	Cost    handoff.Cost
	Folder  string
}

// TrialFile is one map file of a trial.
type TrialFile struct {
	handoff.Planned
	Pictures []int // numbers of its pictures: one of its colour or channel, or one a component
}

func trialPicture(key string, n int) string { return fmt.Sprintf("trial/%s/%d.png", key, n) }

// Try tries a profile on a release at a tier.
func (s *Service) Try(ctx context.Context, p people.Principal, r *Release, profile handoff.Profile, tier scale.Tier) (t Trial, err error) {
	if err := p.Need(people.Enter); err != nil {
		return t, err
	}
	if err := profile.Check(); err != nil {
		return t, library.Invalid(profileProblem(err))
	}
	form := handoff.Form{Profile: profile, Tier: tier}
	hm := s.Handoff(r)
	planned, missing, losses := hm.Plan(form)
	t = Trial{Missing: missing, Losses: losses, Cost: hm.Estimate(form), Folder: hm.Folder(form)}
	small := form
	small.Tier = trialTier
	document, err := json.Marshal(small)
	if err != nil {
		return t, err
	}
	t.Key = fmt.Sprintf("%d-%d-%x", handoff.Version, r.ID, handoff.FileOf("", document).CRC32)
	n := 0
	for _, k := range planned {
		f := TrialFile{Planned: k}
		for range pictured(k) {
			f.Pictures = append(f.Pictures, n)
			n++
		}
		t.Files = append(t.Files, f)
	}
	for _, d := range profile.Descriptions {
		t.Others = append(t.Others, hm.Slug+map[handoff.Description]string{handoff.MaterialX: ".mtlx", handoff.GLTF: ".gltf", handoff.GLB: ".glb", handoff.USD: ".usda"}[d])
	}
	t.Others = append(t.Others, "LICENCE.txt", "settings.html", "material.json", "CHECKSUMS.sha256")
	_, err = s.Derive(ctx, "trial/"+t.Key+"/done", func() ([]byte, error) {
		at, n := 0, 0
		return []byte("done"), handoff.Make(ctx, hm, small, s.Tables, func(path string, data []byte) error {
			if !strings.HasPrefix(path, "maps/") {
				return nil
			}
			im, _, err := codec.Decode(data, s.Pictures)
			if err != nil {
				return fmt.Errorf("read %s again: %w", path, err)
			}
			for _, components := range pictured(planned[at]) {
				var b bytes.Buffer
				if err := codec.EncodePNG(&b, thumb(im, components), codec.PNGOptions{}); err != nil {
					return err
				}
				if err := s.Derived.Put(trialPicture(t.Key, n), b.Bytes()); err != nil {
					return err
				}
				n++
			}
			at++
			return nil
		})
	})
	return t, err
}

// TrialPicture is a picture of a trial.
func (s *Service) TrialPicture(_ context.Context, p people.Principal, key string, n int) ([]byte, error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	data, ok := s.Derived.Get(trialPicture(key, n))
	if !ok || strings.ContainsAny(key, "/.") {
		return nil, library.ErrNotFound
	}
	return data, nil
}

// pictured are the components that each picture of a file shows: those of a whole colour or
// of normals together, others alone.
func pictured(k handoff.Planned) (list [][]int) {
	for i := 0; i < len(k.Holds); i++ {
		c := k.Holds[i].Channel
		if i+2 < len(k.Holds) && c != material.None && !c.Grey() && k.Holds[i+1].Channel == c && k.Holds[i+2].Channel == c {
			list = append(list, []int{i, i + 1, i + 2})
			i += 2
			continue
		}
		list = append(list, []int{i})
	}
	return list
}

// thumb is a small picture of some components; what floats hold beyond 0..1 is brought into it.
func thumb(im *raster.Image, components []int) *raster.Image {
	var planes []raster.Plane
	lo, hi := float32(0), float32(1)
	for _, c := range components {
		p := im.Reduced(min(c, im.Components()-1), trialPx)
		if im.Float() {
			a, b := p.Range()
			lo, hi = min(lo, a), max(hi, b)
			if b-a < 0.2 && a < 0 { // heights in metres
				lo, hi = a, b
			}
		}
		planes = append(planes, p)
	}
	for _, p := range planes {
		for i, v := range p.Pix {
			p.Pix[i] = (v - lo) / max(hi-lo, 1e-6)
		}
	}
	return raster.FromPlanes(planes...).Quantise(8)
}
