// Package evaluation answers the questions of the OpenID AuthZEN Authorization API on a snapshot, for the service and for its followers: it
// knows neither records nor requests.
package evaluation
