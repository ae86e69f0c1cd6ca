// Package ask answers questions about an organisation, each as far as its asker may know: the tree and its people, roles, grants and
// policies; who may do what, why, and who else may; what somebody holds, where it is spread and what waits for them. It changes nothing.
package ask
