// Package memory keeps records in memory, as package store keeps them in MariaDB: for tests of the rules above them, which then need no
// database and take a fraction of its time. What package store tests of its records it tests of these as well.
package memory
