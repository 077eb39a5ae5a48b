package wording

import (
	"fmt"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/scale"
)

// Reasons fills in the English of reasons, in a copy.
func Reasons(list []channels.Reason) []channels.Reason {
	out := append([]channels.Reason{}, list...)
	for i := range out {
		out[i].Says = Reason(out[i])
	}
	return out
}

// Attachments fills in the English of the reasons for attachments, in a copy.
func Attachments(list []channels.Attachment) []channels.Attachment {
	out := append([]channels.Attachment{}, list...)
	for i := range out {
		out[i].Reasons = Reasons(out[i].Reasons)
	}
	return out
}

// Reason is a piece of evidence on what a map is, as a sentence. Those that were recorded as
// sentences keep them.
func Reason(r channels.Reason) string {
	v, is := r.Values, channel(string(r.Channel))
	switch r.Code {
	case "":
		return r.Says
	case "person":
		return fmt.Sprintf("%s assigned it.", v.Text("by"))
	case "recipe":
		return "The material's recipe made it."
	case "rule":
		station := v.Text("station")
		if station == "" {
			station = "every station"
		}
		return fmt.Sprintf("Rule for %s: names ending in %q are %s.", station, v.Text("ending"), is)
	case "seen_before":
		return fmt.Sprintf("In %s of %s, accepted before, names ending in %q are %s.", Count(int(v.Num("materials")), "material"), v.Text("station"), v.Text("ending"), is)
	case "name_word":
		if strings.EqualFold(strings.ReplaceAll(v.Text("word"), " ", ""), strings.ReplaceAll(is, " ", "")) {
			return fmt.Sprintf("The name says %q.", v.Text("word"))
		}
		return fmt.Sprintf("The name says %q: %s.", v.Text("word"), is)
	case "habit_word":
		return fmt.Sprintf("%s of this delivery have “%s”; here it means %s.", Count(int(v.Num("files")), "file"), v.Text("word"), is)
	case "habit_open":
		return fmt.Sprintf("%s of this delivery have “%s”, which no list of words has. It may be %s.", Count(int(v.Num("files")), "file"), v.Text("word"), is)
	case "habit_unknown":
		return fmt.Sprintf("%s of this delivery have “%s”, which no list of words has. Say once what it means.", Count(int(v.Num("files")), "file"), v.Text("word"))
	case "document_says":
		return fmt.Sprintf("%s says that it is %s.", path.Base(v.Text("document")), is)
	case "document_lists":
		return fmt.Sprintf("%s lists it as a material's picture, as it does base colours.", path.Base(v.Text("document")))
	case "name_direction":
		return fmt.Sprintf("The name gives a direction (%s), which only normal maps have.", v.Text("direction"))
	case "name_packed":
		return fmt.Sprintf("The name says %q: %s in %s.", v.Text("word"), is, component(v.Text("component")))
	case "name_alpha":
		return fmt.Sprintf("The name says %q too, and the alpha varies.", v.Text("word"))
	case "name_points":
		return fmt.Sprintf("The name says %s.", direction(v.Text("direction")))
	case "bare_name":
		return "The name has no word for a channel, as base colour maps often have none."
	case "last_one":
		return "Its name is the set's alone, the other files name their channels, and the set needs a base colour."
	case "only_colour":
		return "No other file of the set can be its base colour."
	case "free":
		return fmt.Sprintf("Another file fits its likeliest channel better; %s is free.", is)
	case "plain_border":
		return "Its border is plain: it shows a thing before a background, as renders do."
	case "writing":
		return "It holds a line of writing, as pictures of a material do and maps do not."
	case "further_mask":
		return "It is a further mask; a set has one."
	case "environment":
		return "It is an environment: a panorama of light, not a map of a surface."
	case "baked_light":
		return "It holds baked light, not a map of a surface."
	case "reference":
		return "It is a picture to compare with, not a map."
	case "chart":
		return "It shows a colour chart, not the surface."
	case "preview_word":
		return fmt.Sprintf("The name says %q.", v.Text("word"))
	case "file_word":
		return fmt.Sprintf("The name says %q.", v.Text("word"))
	case "file_ending":
		return fmt.Sprintf("It is no picture; its name ends in %q.", v.Text("ending"))
	case "same_smaller":
		return fmt.Sprintf("It is the same picture as %s, smaller.", path.Base(v.Text("of")))
	case "same_picture":
		return fmt.Sprintf("It is the same picture as %s.", path.Base(v.Text("of")))
	case "smaller_by_name":
		return fmt.Sprintf("Its name gives another tier than %s, but it shows something else.", path.Base(v.Text("of")))
	case "fewer_bits":
		return fmt.Sprintf("%s is the same map with more bits.", path.Base(v.Text("of")))
	case "other_direction":
		return fmt.Sprintf("It is the normal map of the other direction; %s is used.", path.Base(v.Text("of")))
	case "channel_taken":
		return fmt.Sprintf("It looks like %s, but %s is that already.", is, path.Base(v.Text("by")))
	case "components_taken":
		return "Other files have the channels of its components already."
	case "nothing_said":
		return "Neither its name nor its pixels say what it is."
	case "shared":
		return fmt.Sprintf("Shared with %s, of which this is a variant.", v.Text("set"))
	case "letters":
		return "Other files of the set are named by single letters too, and their pixels confirm them."
	case "commonest":
		return "Nothing says what it is; a grey map is most often roughness."
	case "follows_slopes":
		return fmt.Sprintf("Its shape follows the slopes of the normal map (correlation %.2f), as height does.", v.Num("correlation"))
	case "against_slopes":
		return fmt.Sprintf("Its shape doesn't follow the slopes of the normal map (correlation %.2f); height would.", v.Num("correlation"))
	case "lone_colour":
		return "It is the set's only map, and has three components; a set has a base colour."
	case "slopes":
		return fmt.Sprintf("Read as %s its slopes make one surface; the other way round they don't.", direction(v.Text("direction")))
	case "object_space":
		return "Its pixels are unit vectors in all directions: the normals of a whole object, not of a surface. Bake them in tangent space."
	case "two_components":
		return "Two components vary around the middle and the others are empty, as in two-component normal maps."
	case "third_empty":
		return "Its third component is empty."
	case "unit_vectors":
		return fmt.Sprintf("%s of its pixels are unit vectors facing up.", percent(v.Num("share")))
	case "middling_vectors":
		return fmt.Sprintf("Its pixels lie about the axis of normal maps, but only %s are unit vectors.", percent(v.Num("share")))
	case "components_empty":
		return "One or two of its components are black throughout, as in data and seldom in colours."
	case "curved_vectors":
		return fmt.Sprintf("%s of its pixels are unit vectors once the sRGB curve is taken off.", percent(v.Num("share")))
	case "are_unit_vectors":
		return "Its pixels are unit vectors, which normal maps hold."
	case "few_unit_vectors":
		return fmt.Sprintf("Only %s of its pixels are unit vectors.", percent(v.Num("share")))
	case "grey":
		return "It is grey, as data maps are."
	case "no_colour":
		return "It is grey throughout."
	case "one_component":
		return "It has one component; colour needs three."
	case "grey_not_normal":
		return "It is grey; a normal map is not."
	case "in_colour":
		return "It is in colour."
	case "colour_not_data":
		return "It is in colour; a data map is grey."
	case "black_and_white":
		return fmt.Sprintf("%s of it is black or white.", percent(v.Num("share")))
	case "all_black_and_white":
		return "Nearly all of it is black or white."
	case "dark_hollows":
		return "It is bright with dark hollows, as occlusion is."
	case "dark", "component_dark":
		return "It is dark; occlusion is bright."
	case "component_between":
		return "This component is bright with many values between; metallic is mostly black or white. The order may be another one."
	case "bits":
		return fmt.Sprintf("It has %.0f bits, which height maps need most.", v.Num("bits"))
	case "components_alike":
		return fmt.Sprintf("Its components vary together (correlation %.2f), as in a colour picture.", v.Num("correlation"))
	case "components_differ":
		return fmt.Sprintf("Its components have little in common (correlation %.2f), as in packed maps; %s looks like %s.", v.Num("correlation"), component(v.Text("component")), is)
	case "component_flat":
		return fmt.Sprintf("This component is %.2f throughout.", v.Num("value"))
	case "alpha_of_normal":
		return "The alpha of a normal map often holds height, and this one varies."
	case "alpha_follows":
		return "The alpha follows the slopes of the normals, as their height does."
	case "alpha_no_relief":
		return "Normal maps often keep gloss or height in their alpha, and this one does not follow the slopes."
	case "alpha_few_lit":
		return "Its alpha is black nearly everywhere: it may say what glows, or what is there at all."
	case "order_differs":
		return fmt.Sprintf("The name says %q, but the components look like this order.", v.Text("word"))
	case "alpha_of_specular":
		return fmt.Sprintf("The alpha of a %s map often holds glossiness, and this one varies.", channel(v.Text("of")))
	case "alpha_opaque":
		return "The alpha varies and is opaque in places."
	case "alpha_never_opaque":
		return "The alpha varies and is opaque nowhere; it may be glossiness."
	}
	return unknown(r.Fact)
}

// AskedWord asks what a word means that many files of a delivery carry.
func AskedWord(word string, files int) string {
	return fmt.Sprintf("%s %s “%s” in the name. What does it mean?", Count(files, "file"), map[bool]string{true: "has", false: "have"}[files == 1], word)
}

// Unit is the unit that a height map stores its heights in: "metres".
func Unit(d *inspect.Depth) string {
	if d == nil {
		return "metres"
	}
	return map[string]string{"cm": "centimetres", "mm": "millimetres"}[d.Unit] + map[bool]string{true: "metres"}[d.Unit != "cm" && d.Unit != "mm"]
}

func component(c string) string {
	return map[string]string{"r": "red", "g": "green", "b": "blue", "a": "alpha"}[c]
}

// Evidence is an answer to the question how large a repeat is, as a sentence. Those that
// were recorded as sentences keep them.
func Evidence(e scale.Evidence) string {
	v, size := e.Values, scale.Metres(e.W)+" × "+scale.Metres(e.H)
	switch e.Code {
	case "":
		return e.Says
	case "tag_default":
		return fmt.Sprintf("%s by the file's resolution tag of %.0f pixels an inch, which editors write by themselves.", size, v.Num("density")*0.0254)
	case "tag":
		return fmt.Sprintf("%s by the file's resolution tag: %.0f × %.0f px at %s px/m.", size, v.Num("width"), v.Num("height"), scale.Figure(v.Num("density")))
	case "name":
		return size + " by the name."
	case "name_width":
		return fmt.Sprintf("%s by the name, which gives the width.", size)
	case "name_density":
		return fmt.Sprintf("%s by the name, which gives %s px/m.", size, scale.Figure(v.Num("density")))
	case "text":
		return size + " by a description in the file."
	case "sidecar":
		return size + " by the sidecar file."
	case "line":
		return fmt.Sprintf("%s by a line of %.1f px that measures %s.", size, v.Num("pixels"), scale.Metres(v.Num("metres")))
	case "step":
		return fmt.Sprintf("%s by one step of the pattern, %.1f px, that measures %s.", size, v.Num("pixels"), scale.Metres(v.Num("metres")))
	case "side":
		return fmt.Sprintf("%s by a line of %s along one side.", size, scale.Metres(v.Num("metres")))
	case "usual":
		return fmt.Sprintf("%s is what most scans from %s measure.", size, v.Text("station"))
	}
	return unknown(e.Fact)
}
