"""Running sequences on a bench: pre-flight checks, the engine, its events, aborts and crashes."""
