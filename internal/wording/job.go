package wording

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
	}[kind]; ok {
		return says
	}
	return kind
}
