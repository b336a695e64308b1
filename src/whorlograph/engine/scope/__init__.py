"""What a program's names stand for: instances, tags, types of wires, shared bits. Front and reference interpreter both ask here."""
