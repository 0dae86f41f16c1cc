// Package contract is what goes over HTTP between the service and whoever uses it: plain types, which say in their tags
// what the contract (api/openapi.yaml) says of them. The service and its client share them, so that a program that uses
// the client takes nothing of the service along.
package contract
