// Package problem has the errors that whoever asks can understand: what went wrong, and what to do next.
package problem
