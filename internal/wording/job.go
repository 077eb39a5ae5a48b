package wording

import (
	"fmt"
	"math"
	"time"
)

// Job is what a kind of background work does.
func Job(kind string) string {
	if says, ok := map[string]string{
		"open":    "Unpack",
		"examine": "Examine a file",
		"sort":    "Sort a delivery",
		"treat":   "Apply treatments",
		"picture": "Render pictures",
		"grade":   "Grade findings",
		"handoff": "Make a handoff",
		"view":    "Render a reference picture",
		"traits":  "Describe a look",
		"webhook": "Send webhooks",
	}[kind]; ok {
		return says
	}
	return kind
}

// Lane is a lane of work for people.
func Lane(name string) string {
	return map[string]string{"intake": "Intake", "pictures": "Pictures", "treatments": "Treatments", "handoffs": "Handoffs", "references": "Reference pictures",
		"webhooks": "Webhooks", "care": "Housekeeping"}[name]
}

// LaneShare is which share of the work a lane has: most jobs at a time (0 for any number), workers of its own, and
// no others.
func LaneShare(most, own int, alone bool) string {
	switch {
	case alone:
		return fmt.Sprintf("%d at a time, on its own", own)
	case own > 0:
		return fmt.Sprintf("always %d, more if there is room", own)
	case most > 0:
		return fmt.Sprintf("%d at a time", most)
	}
	return "as much as there is room for"
}

// TimeLeft is about how long something will take.
func TimeLeft(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return "a few seconds left"
	case d < 55*time.Second:
		return fmt.Sprintf("about %d s left", 5*int(math.Round(d.Seconds()/5)))
	case d < time.Hour:
		return fmt.Sprintf("about %d min left", int(math.Ceil(d.Minutes())))
	}
	return fmt.Sprintf("about %.1f h left", d.Hours())
}

// JobsLeft is how many jobs are left, and how long they will take if that is known.
func JobsLeft(n int, d time.Duration) string {
	if n == 0 {
		return ""
	}
	if d == 0 {
		return Count(n, "job") + " left"
	}
	return Count(n, "job") + ", " + TimeLeft(d)
}
