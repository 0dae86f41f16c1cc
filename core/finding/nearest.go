package finding

// Nearest is the candidate with the fewest single-letter changes from name (Damerau's distance, which
// counts swapped neighbours as one; F. Damerau, CACM 7(3), 1964), or "" where none is near enough to
// be a slip of the keyboard. Of equals the first wins.
func Nearest(name string, candidates []string) string {
	best, least := "", len([]rune(name))/3+2
	for _, c := range candidates {
		if d := distance(name, c, least); d < least {
			best, least = c, d
		}
	}
	return best
}

// distance is Damerau's, or limit where it is at least that.
func distance(from, to string, limit int) int {
	a, b := []rune(from), []rune(to)
	if len(a)-len(b) >= limit || len(b)-len(a) >= limit || len(a) > 256 {
		return limit
	}
	before, prev, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(prev[j]+1, row[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, prev, row = prev, row, before
	}
	return min(prev[len(b)], limit)
}
