package search

import (
	"slices"
	"testing"
)

func TestLooksAreChains(t *testing.T) {
	var l looks
	of := func(look string) (list []int32) {
		l.each(look, func(i int32) { list = append(list, i) })
		slices.Sort(list)
		return list
	}
	for i := range int32(6) {
		l.add([]string{"oak", "ash"}[i%2], i)
	}
	for _, step := range []struct {
		remove    int32
		oak, ash  []int32
		fromChain string
	}{
		{-1, []int32{0, 2, 4}, []int32{1, 3, 5}, ""},
		{2, []int32{0, 4}, []int32{1, 3, 5}, "oak"}, // in the middle
		{5, []int32{0, 4}, []int32{1, 3}, "ash"},    // at the head
		{1, []int32{0, 4}, []int32{3}, "ash"},       // at the end
		{3, []int32{0, 4}, nil, "ash"},              // the last one
		{3, []int32{0, 4}, nil, "ash"},              // once more
	} {
		if step.remove >= 0 {
			l.remove(step.fromChain, step.remove)
		}
		if a, b := of("oak"), of("ash"); !slices.Equal(a, step.oak) || !slices.Equal(b, step.ash) {
			t.Errorf("after %d went: oak %v, ash %v", step.remove, a, b)
		}
	}
	l.add("ash", 2)
	if got := of("ash"); !slices.Equal(got, []int32{2}) {
		t.Errorf("ash %v", got)
	}
}
