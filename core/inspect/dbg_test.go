package inspect

import (
	"aldermoor/core/material"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
)

func TestDbg(t *testing.T) {
	for k, kind := range heldKinds {
		if !strings.HasPrefix(kind.name, os.Getenv("KIND")) {
			continue
		}
		n := 0
		fmt.Sscan(os.Getenv("N"), &n)
		h := &held{rng: rand.New(rand.NewPCG(uint64(k)+1000, uint64(n))), want: map[string]material.Channel{}, asked: map[string]bool{}}
		kind.make(h)
		r := Assemble(h.files, nil)
		for _, s := range r.Sets {
			fmt.Println("SET", s.Name)
			for _, m := range s.Maps {
				fmt.Print("   ", m.File, " ", m.Component, " ", m.Channel, " ", m.Confidence, " ", m.Shared)
				for _, w := range m.Reasons {
					fmt.Print(" ", w.Code, "/", w.Channel, " ", w.Weight)
				}
				fmt.Println()
			}
			for _, u := range s.Unassigned {
				fmt.Print("   UN ", u)
				for _, w := range s.Why[u] {
					fmt.Print(" ", w.Code, "/", w.Channel, " ", w.Weight)
				}
				fmt.Println()
			}
			for _, a := range s.Attachments {
				fmt.Println("   ATT ", a.File, a.Kind)
			}
		}
	}
}
