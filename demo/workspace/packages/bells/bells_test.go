package bells

import "testing"

func TestStrokes(t *testing.T) {
	for _, one := range []struct{ hour, minute, want int }{{0, 30, 1}, {9, 0, 2}, {15, 45, 7}} {
		if got := Strokes(one.hour, one.minute); got != one.want {
			t.Errorf("at %02d:%02d: %d strokes, want %d", one.hour, one.minute, got, one.want)
		}
	}
}
