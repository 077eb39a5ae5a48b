package releases

import (
	"encoding/json"
	"reflect"
	"testing"
	"time"

	"aldermoor/core/material"
	"aldermoor/core/scale"
)

func TestCardsAreKeptWhole(t *testing.T) {
	c := Card{MaterialID: 7, ReleaseID: 1 << 40, Number: 3, Name: "Réed thatch", Slug: "reed-thatch", Size: scale.Size{W: 1.42, H: 0.0007}, W: 4096, H: 2731,
		Tiers: []string{"4K", "2K"}, Tags: []string{"reed", ""}, Categories: []string{"Roofing"}, Channels: []material.Channel{material.BaseColor, material.Normal},
		Contact: "soft ground", Licence: "CC0-1.0", Notes: "Dried.\nThen bound.", Look: "0f", Released: time.Date(2026, 2, 3, 4, 5, 6, 7, time.UTC), Changed: time.Date(2026, 2, 4, 4, 5, 6, 7, time.UTC),
		Colour: "#a1b2c3", State: Approved, Station: "Quay Rig", Workflow: "metal_rough", Tiling: "seamless", Estimated: true, Cost: 1 << 30, Set: "slates_round_a"}
	b, err := c.MarshalBinary()
	if err != nil {
		t.Fatal(err)
	}
	var r CardReader
	got, err := r.Read(b)
	if err != nil || !reflect.DeepEqual(got, c) {
		t.Fatalf("%v\ngot  %+v\nwant %+v", err, got, c)
	}
	old, _ := json.Marshal(c)
	if got, err := r.Read(old); err != nil || !reflect.DeepEqual(got, c) {
		t.Errorf("as JSON: %v %+v", err, got)
	}
	for n := range b {
		if _, err := r.Read(b[:n]); err == nil {
			t.Fatalf("%d of %d bytes were taken for a card", n, len(b))
		}
	}
	for i := range b { // never a panic, whatever it says
		for _, v := range []byte{0, 1, 127, 128, 255} {
			d := append([]byte(nil), b...)
			d[i] = v
			r.Read(d)
		}
	}
}
