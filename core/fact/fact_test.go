package fact_test

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"aldermoor/core/fact"
)

type word string

// What is said survives JSON: the same names give the same answers.
func TestThroughJSON(t *testing.T) {
	f := fact.New("x", "n", 7, "f", float32(0.5), "w", word("oak"), "yes", true, "list", []word{"a", "b"}, "nan", math.NaN(), "inf", math.Inf(1))
	data, err := json.Marshal(f)
	if err != nil {
		t.Fatal(err)
	}
	var back fact.Fact
	if err := json.Unmarshal(data, &back); err != nil {
		t.Fatal(err)
	}
	for _, g := range []fact.Fact{f, back} {
		v := g.Values
		if g.Code != "x" || v.Num("n") != 7 || v.Num("f") != 0.5 || v.Text("w") != "oak" || v.Text("n") != "7" || !v.Is("yes") || len(v.Texts("list")) != 2 || v.Texts("list")[1] != "b" {
			t.Errorf("%+v", g)
		}
		if v.Has("nan") || v.Has("inf") || v.Num("none") != 0 || v.Text("none") != "" || v.Is("none") || v.Texts("none") != nil {
			t.Errorf("what is not there: %+v", v)
		}
	}
	if !fact.Of("a", 1).Equal(fact.Of("a", 1.0)) || fact.Of("a", 1).Equal(fact.Of("a", 2)) || !fact.Values(nil).Equal(fact.Of()) {
		t.Error("Equal")
	}
	defer func() {
		if recover() == nil {
			t.Error("a value that JSON cannot give back is taken")
		}
	}()
	fact.Of("p", &f)
}

func ExampleNew() {
	f := fact.New("seam", "axis", "x", "score", 0.12)
	fmt.Println(f.Code, f.Values.Text("axis"), f.Values.Num("score"))
	// Output: seam x 0.12
}
