"""The messages of the HTTP API, one module a subject: sent by the service, read by the client."""
