package shade

// Finely marches relief in f in many small steps.
func Finely(f func()) {
	was := quick
	quick = effort{steps: 256, most: 4096, stride: 0.1, refine: 12}
	defer func() { quick = was }()
	f()
}
