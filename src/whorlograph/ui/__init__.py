"""The full-screen application: shows what the desk answers, computes nothing."""
