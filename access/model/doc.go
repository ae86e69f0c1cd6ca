// Package model has what everything else in the core speaks of: ids, the kinds of scopes and principals and the rules for their names,
// and the error of a change that breaks a rule. All of it is plain data.
package model
