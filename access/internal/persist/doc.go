// Package persist has the tables that snapshots share: each can be altered in a draft by copying only what changes, so that what others
// read stays as it is.
//
// [Table] holds items by dense number, [IDIndex] finds numbers by id, [Siblings] keeps numbers in the order of names. Whatever is altered
// belongs to an [Owner]: what a draft made itself it may alter in place, all else is copied first.
package persist
