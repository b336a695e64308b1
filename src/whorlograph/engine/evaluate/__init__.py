"""Steps executed again from the journal: power flow and values at a moment, for every language, since only the code is looked at."""
