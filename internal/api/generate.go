// Package api holds the types and routes generated from the contract in
// api/openapi.yaml.
package api

//go:generate go tool oapi-codegen -config config.yaml ../../api/openapi.yaml
