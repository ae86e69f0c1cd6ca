// Package english writes and reads the few bits of English that messages are made of: lists, counts, articles, and the word that
// somebody most likely meant.
package english
