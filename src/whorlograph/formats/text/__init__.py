"""The text languages of IEC 61131-3: tokens, grammar, and what they make."""
