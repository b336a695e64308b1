"""One job at work, without a screen: load, replay, ask, try, report."""
