package materials

import "testing"

func TestTitleOf(t *testing.T) {
	for set, want := range map[string]string{"plp_lead-rolls": "Plp lead rolls", "старая_доска": "Старая доска", "石垣": "石垣", "élan": "Élan", "": "Unnamed set", " _ ": "Unnamed set"} {
		if got := TitleOf(set); got != want {
			t.Errorf("%q: %q, want %q", set, got, want)
		}
	}
}
