"""The HTTP service: routers, sign-in, problem documents, event streams, and the console's files."""
