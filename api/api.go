// Package api holds the contract of Arbora's HTTP interface, openapi.yaml. What is generated from it: the types here,
// the server's face in internal/server/contract, the client in client, the console's types in console/src/lib/api.gen.ts. What the Go
// types have besides is in go.overlay.yaml.
package api

import _ "embed"

//go:generate go tool oapi-codegen -config types.config.yaml -o types.gen.go openapi.yaml
//go:generate go tool oapi-codegen -config server.config.yaml -o ../internal/server/contract/contract.gen.go openapi.yaml
//go:generate go tool oapi-codegen -config client.config.yaml -o ../client/client.gen.go openapi.yaml

// Contract is the text of openapi.yaml.
//
//go:embed openapi.yaml
var Contract []byte
