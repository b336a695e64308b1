"""The virtual controller: compiles the program, runs it scan by scan on the log, keeps the journal."""
