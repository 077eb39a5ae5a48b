// Package wording turns the codes and figures of the computation into English, for pages,
// the API and the commands. What it is asked about is core's; it decides nothing.
//
// A sentence starts with what was found and its figure, then says what follows or what to
// do. A code that it does not know gives the code itself, so that nothing is silent.
package wording

import (
	"fmt"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// Channel is a channel's name as a label: "Base colour".
func Channel(c material.Channel) string {
	switch c {
	case material.None:
		return "Not a map"
	case material.BaseColor:
		return "Base colour"
	}
	return strings.ToUpper(string(c[:1])) + strings.ReplaceAll(string(c[1:]), "_", " ")
}

// channel is a channel's name within a sentence: "base colour".
func channel(c string) string { return strings.ToLower(Channel(material.Channel(c))) }

// Set fills in the English of all that a set says: findings, size evidence and the reasons
// of its maps. It changes s only.
func Set(s *inspect.Set) {
	findings := append([]inspect.Finding{}, s.Findings...)
	for i := range findings {
		findings[i].Says = Finding(findings[i], s)
	}
	s.Findings = findings
	evidence := append([]scale.Evidence{}, s.SizeEvidence...)
	for i := range evidence {
		evidence[i].Says = Evidence(evidence[i])
	}
	s.SizeEvidence = evidence
	for i := range s.Maps {
		s.Maps[i].Reasons = Reasons(s.Maps[i].Reasons)
	}
	s.Attachments = Attachments(s.Attachments)
	why := map[string][]channels.Reason{}
	for file, list := range s.Why {
		why[file] = Reasons(list)
	}
	s.Why = why
}

// Report fills in the English of a whole report.
func Report(r *inspect.Report) {
	for i := range r.Sets {
		Set(&r.Sets[i])
	}
	for i := range r.Failed {
		if f := &r.Failed[i]; f.Error == "" {
			f.Error = Problem(f.Why)
		}
	}
}

// Problem is why a file, a set or a folder could not be examined, and what to do.
func Problem(f fact.Fact) string {
	v := f.Values
	file := v.Text("file")
	switch f.Code {
	case "unreadable":
		todo := map[string]string{"unsupported": "Save it as PNG or TIFF and send it again.", "limit": "Send a smaller picture, or have the administrator raise the limit."}[v.Text("kind")]
		if todo == "" {
			todo = "Send the file again."
		}
		return fmt.Sprintf("%s cannot be read: %s. %s", file, v.Text("error"), todo)
	case "empty":
		return fmt.Sprintf("%s is empty. Send it again.", file)
	case "layered":
		return fmt.Sprintf("%s is a picture editor's working file with layers. Export each map as PNG, TIFF or OpenEXR and send that.", file)
	case "no_picture":
		return fmt.Sprintf("%s is not a picture that can be read here, whatever its ending says. Send it as %s.", file, v.Text("readable"))
	case "sidecar":
		return fmt.Sprintf("%s: %s. It is kept as a note.", file, v.Text("error"))
	case "not_examined":
		return fmt.Sprintf("%s could not be examined: %s. Retry it, or send the file again.", file, v.Text("error"))
	case "not_compared":
		return fmt.Sprintf("The maps of %s could not be compared with each other: %s. Their channels and sizes are kept.", v.Text("set"), v.Text("error"))
	case "not_sorted":
		return fmt.Sprintf("The names in the folder of %s could not be read: %s. Its files are kept in one set; assign them by hand.", path.Base(file), v.Text("error"))
	}
	return unknown(f)
}

// unknown names a code for which there is no sentence.
func unknown(f fact.Fact) string {
	if len(f.Values) == 0 {
		return f.Code
	}
	return fmt.Sprint(f.Code, " ", map[string]any(f.Values))
}

// percent is a share as a whole percentage.
func percent(share float64) string { return fmt.Sprintf("%.0f\u00a0%%", 100*share) }

// count is a number with its noun: "1 sample", "2 samples".
func count(n float64, noun string) string { return Count(int(n), noun) }

// Count is a number with its noun: "1 set", "2 sets".
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// ProposedRule says which corrections make a rule likely.
func ProposedRule(ending string, c material.Channel, materials int) string {
	return fmt.Sprintf("Names ending in “%s” were corrected to %s in %s.", ending, channel(string(c)), Count(materials, "material"))
}

// channelOf is the channel among a fact's values.
func channelOf(v fact.Values) material.Channel { return material.Channel(v.Text("channel")) }
