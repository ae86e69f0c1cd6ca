// Package change has the use cases that alter an organisation: each checks what its caller may, and plans the changes of package access
// that it comes to. Package plan weighs and makes them.
package change
