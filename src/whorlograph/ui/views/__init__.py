"""Views over the main one: help, palette, prompts, lists."""
