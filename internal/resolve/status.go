package resolve

import (
	"slices"
)

// ValidStatus reports whether a redirect may carry the status.
func ValidStatus(status int) bool {
	switch status {
	case 301, 302, 303, 307, 308, 410:
		return true
	}
	return false
}

// Temporary reports whether the status is one that says "for now".
func Temporary(status int) bool { return status == 302 || status == 303 || status == 307 }

// Compose returns the one status for several steps: temporary if any of them is, and then the strictest of that sort.
func Compose(statuses ...int) int {
	for _, s := range []int{303, 307, 302, 308} {
		if slices.Contains(statuses, s) {
			return s
		}
	}
	return 301
}

// ComposeWritten does the same for statuses as they are written, where 0 means that none is: permanent, and such that
// other methods than GET and HEAD survive. So 301 and 0 make 0: GET is answered with 301, POST with 308.
func ComposeWritten(statuses ...int) int {
	status := Compose(statuses...)
	if status == 301 && slices.Contains(statuses, 0) {
		return 0
	}
	return status
}
