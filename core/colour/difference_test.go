package colour_test

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"aldermoor/core/colour"
)

// The published test data of Sharma, Wu & Dalal 2005, table 1.
func TestCIEDE2000(t *testing.T) {
	data, err := os.ReadFile("testdata/ciede2000.json") // also held against likeness.js
	if err != nil {
		t.Fatal(err)
	}
	var pairs [][7]float64
	if err := json.Unmarshal(data, &pairs); err != nil || len(pairs) != 34 {
		t.Fatalf("%d pairs: %v", len(pairs), err)
	}
	for i, c := range pairs {
		if got := colour.CIEDE2000(c[0], c[1], c[2], c[3], c[4], c[5]); math.Abs(got-c[6]) > 1e-4 {
			t.Errorf("pair %d: %.4f, want %.4f", i+1, got, c[6])
		}
	}
}
