// Package bells says how often the bell of the survey boat is struck.
package bells

// Strokes is how often the bell is struck at a time of day: once after the first half hour of a watch of four hours, eight times
// at its end.
func Strokes(hour, minute int) int {
	return (hour*60 + minute) / 30 % 8
}
