"""Files in and out: programs, logs, I/O lists, profiles, jobs. Nothing here knows the engine."""
