// Package catalogue knows what can be permitted at all: platform services, their resource types and operations, and the roles made of
// them.
//
// A [Catalogue] is loaded from one file a service ([Shipped], [Catalogue.With]) and never changes afterwards. It numbers all
// permissions, so that a role is a [Set] of bits. Faults in a file are told with their place ([FileError]).
package catalogue
