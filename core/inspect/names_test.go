package inspect

import "testing"

func TestNamesThatAreNone(t *testing.T) {
	for name, want := range map[string]bool{
		"Material 1": true, "untitled": true, "Untitled material (2)": true, "IMG_2041": true, "DSC0123": true, "P1010023": true, "2024-05-11": true, "20240511_103344": true, "New texture set final": true,
		"copy of test 3": true, "a": true, "": true, "scan 04": true, "3f9a77c2e1": true, "Texture": true,
		"Reed thatch": false, "Slate": false, "Metal plate": false, "Rough plaster 2": false, "IMG slate": false, "Facade": false, "Test bench oak": false, "Map of the sea": false, "Sand 1": false, "Decade brick": false,
	} {
		if got := Nameless(name); got != want {
			t.Errorf("%q: %t", name, got)
		}
	}
}
