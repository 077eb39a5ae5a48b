package wording

import (
	"slices"
	"strings"

	"aldermoor/core/handoff"
	"aldermoor/core/material"
)

// Form is a handoff profile as a line: workflow, conventions, formats, descriptions.
func Form(p handoff.Profile) string {
	parts := []string{map[handoff.Workflow]string{handoff.AsDelivered: "workflow as it is", handoff.MetalRough: "metal-rough", handoff.SpecGloss: "spec-gloss"}[p.Workflow],
		"normals " + strings.ReplaceAll(strings.ToUpper(p.Normal), "-", "−")}
	holds := func(c material.Channel) bool {
		return slices.ContainsFunc(p.Files, func(f handoff.MapFile) bool {
			return slices.ContainsFunc(f.Holds, func(k handoff.Component) bool { return k.Channel == c })
		})
	}
	if holds(material.Glossiness) {
		parts = append(parts, "glossiness")
	}
	if holds(material.Height) && p.Height != handoff.HeightRange {
		parts = append(parts, map[handoff.Height]string{handoff.HeightCentred: "heights around mid grey", handoff.HeightMetres: "heights in metres"}[p.Height])
	}
	var formats []string
	for _, f := range p.Files {
		if name := FormatName(f.Format); !slices.Contains(formats, name) {
			formats = append(formats, name)
		}
	}
	parts = append(parts, And(formats))
	if p.Pixels != handoff.PixelsKept {
		parts = append(parts, map[handoff.Pixels]string{handoff.PowerOfTwo: "sides of powers of two", handoff.Square: "square"}[p.Pixels])
	}
	if p.Figures == handoff.Beside {
		parts = append(parts, "figures beside the maps")
	}
	out := strings.Join(parts, ", ")
	var with []string
	for _, d := range p.Descriptions {
		with = append(with, DescriptionName(d))
	}
	if len(with) > 0 {
		out += "; with " + And(with)
	}
	return out
}

// FormatName is a map file's format for people.
func FormatName(f handoff.Format) string {
	return map[handoff.Format]string{handoff.PNG: "full-depth PNG", handoff.PNG8: "8-bit PNG", handoff.PNG16: "16-bit PNG", handoff.JPEG: "JPEG", handoff.TIFF8: "8-bit TIFF", handoff.TIFF16: "16-bit TIFF",
		handoff.TIFF32: "float TIFF", handoff.TGA: "8-bit TGA", handoff.EXRHalf: "half EXR", handoff.EXRFloat: "float EXR"}[f]
}

// DescriptionName is a description's standard for people.
func DescriptionName(d handoff.Description) string {
	return map[handoff.Description]string{handoff.MaterialX: "MaterialX", handoff.GLTF: "glTF", handoff.GLB: "GLB", handoff.USD: "USD"}[d]
}

// And joins words: "a, b and c".
func And(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// Harms is a sentence on what a profile spoils by its formats; "" for nothing.
func Harms(p handoff.Profile) string {
	var list []string
	for _, c := range p.Harms() {
		list = append(list, strings.ToLower(Channel(c)))
	}
	if list == nil {
		return ""
	}
	return "JPEG blurs and mixes " + And(list) + ". Store them as PNG, TIFF or TGA."
}

// Losses are sentences on what a handoff's descriptions have no place for, one a description.
func Losses(list []handoff.Loss) (out []string) {
	of := map[handoff.Description][]string{}
	var order []handoff.Description
	for _, l := range list {
		if of[l.Description] == nil {
			order = append(order, l.Description)
		}
		of[l.Description] = append(of[l.Description], l.Name())
	}
	for _, d := range order {
		out = append(out, DescriptionName(d)+" has no place for "+And(of[d])+".")
	}
	return out
}
