// Package tenant keeps the organisations of an installation, each as a snapshot in memory that follows the records.
//
// [Tenants] reads an organisation at its first use, follows what other instances change, keeps snapshot files, and makes one change
// after another: [Tenants.Write]. A [Caller] is who asks; a [Viewer] is what they work with: the snapshot, and what they see and may do
// of it. What has to be read or written is asked of [Records], which are in MariaDB (package store) or, in tests, in memory.
package tenant
