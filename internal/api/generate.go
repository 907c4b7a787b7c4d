// Package api holds what the contract in api/openapi.yaml generates: its types, which the
// phone's module has too, and the routes of the server.
package api

//go:generate go tool oapi-codegen -config config.yaml ../../api/openapi.yaml
//go:generate go tool oapi-codegen -config server.yaml ../../api/openapi.yaml
//go:generate sed -i "1s|^|//go:build !js\\n\\n|" server.gen.go
