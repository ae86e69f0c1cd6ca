// Package statement is the language in which policies are written:
//
//	painters may operate compute if context.hour >= 8 until 2027-01-01
//
// [Lex] takes a line apart, [Parser] reads it as a sentence, [ParseCondition] reads a condition. Each faulty line is told with line,
// column, what was expected and the nearest word ([TextError]). [Statement] and [Policy] are what is read, bound to ids: package access
// binds them, since that takes a snapshot and its viewer ([arbora.example/access.Reader]). [Parts] is a statement as its pieces of text, and
// [JoinParts] writes a policy of them, in one form. [Pattern] is a text with blanks to fill.
//
// What a condition says of somebody is evaluated in package access, too: here it is only a tree of comparisons ([Expression]).
package statement
