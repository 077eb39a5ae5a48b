package exr

import (
	"fmt"
	"strings"
	"testing"
)

// What belongs together is one picture; depth beside colour is another, and no alpha.
func TestLayers(t *testing.T) {
	for names, want := range map[string]string{
		"R G B":                              ":R G B",
		"A B G R Z":                          ":R G B A | Z:Z",
		"B G R":                              ":R G B",
		"X Y Z":                              ":X Y Z",
		"A X Y Z":                            ":X Y Z A",
		"Y":                                  ":Y",
		"A Y":                                ":Y A",
		"B G R height":                       ":R G B | height:height",
		"n.X n.Y n.Z R G B Z":                ":R G B | n:X Y Z | Z:Z",
		"sky.B sky.G sky.R sky.A":            "sky:R G B A",
		"U V":                                ":U V",
		"rough.Y metal.Y B G R":              ":R G B | rough:Y | metal:Y",
		"view.A view.B view.G view.R view.Z": "view:R G B A | view.Z:Z",
	} {
		var p Part
		for _, n := range strings.Fields(names) {
			p.Channels = append(p.Channels, Channel{Name: n})
		}
		f := File{Parts: []Part{p}}
		var got []string
		for _, l := range f.Layers() {
			var list []string
			for _, c := range l.Channels {
				n := p.Channels[c].Name
				list = append(list, n[strings.LastIndexByte(n, '.')+1:])
			}
			got = append(got, fmt.Sprintf("%s:%s", l.Name, strings.Join(list, " ")))
		}
		if s := strings.Join(got, " | "); s != want {
			t.Errorf("%s:\n got %s\nwant %s", names, s, want)
		}
	}
}
