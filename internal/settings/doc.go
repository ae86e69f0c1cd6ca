// Package settings has what organisations decide for themselves, and what keepers bound them to.
package settings
