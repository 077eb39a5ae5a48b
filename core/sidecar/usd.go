package sidecar

import (
	"regexp"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/material"
)

var (
	usdPrim    = regexp.MustCompile(`^\s*(?:def|over|class)\s+(\w+)?\s*"([^"]+)"`)
	usdFile    = regexp.MustCompile(`asset\s+inputs:file\s*=\s*@([^@]+)@`)
	usdConnect = regexp.MustCompile(`inputs:(\w+)\.connect\s*=\s*<([^>]+?)\.outputs:(\w+)>`)
)

// usd reads the text form of OpenUSD: which texture each input of a surface of a material is connected with.
func (d *Document) usd(text string) {
	type prim struct {
		name, file string
		material   int
		connects   [][3]string // input, the name of the prim that it comes from, its output
	}
	var stack []*prim
	var all []*prim
	materials := 0
	var next *prim
	for line := range strings.Lines(text) {
		if m := usdPrim.FindStringSubmatch(line); m != nil {
			next = &prim{name: m[2]}
			if m[1] == "Material" {
				materials++
			}
			next.material = materials
			all = append(all, next)
		}
		if n := len(stack); n > 0 && stack[n-1] != nil {
			if m := usdFile.FindStringSubmatch(line); m != nil {
				stack[n-1].file = m[1]
			}
			if m := usdConnect.FindStringSubmatch(line); m != nil {
				at := strings.Split(m[2], "/")
				stack[n-1].connects = append(stack[n-1].connects, [3]string{m[1], at[len(at)-1], m[3]})
			}
		}
		for _, c := range line {
			switch c {
			case '{':
				if len(stack) >= mostDepth || len(all) > mostMentions {
					return
				}
				stack, next = append(stack, next), nil
			case '}':
				if len(stack) > 0 {
					stack = stack[:len(stack)-1]
				}
			}
		}
	}
	at := func(name string, material int) *prim {
		for _, p := range all {
			if p.name == name && p.material == material {
				return p
			}
		}
		return nil
	}
	for _, p := range all {
		if p.file != "" {
			continue
		}
		for _, c := range p.connects {
			say := channels.Spell(c[0])
			if from := at(c[1], p.material); from != nil && from.file != "" && say.Channel != material.None {
				m := Mention{File: fileOf(from.file), Channel: say.Channel, Weight: 1, Word: c[0], Group: p.material}
				if len(c[2]) == 1 && strings.Contains("rgba", c[2]) {
					m.Component = c[2]
				}
				d.Mentions = append(d.Mentions, m)
			}
		}
	}
}
