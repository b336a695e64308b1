"""A rung in a line of text: as it is typed and shown where rungs are changed.

``A`` a contact, ``/A`` normally closed, ``^A`` at a rising, ``~A`` at a falling edge, ``[A B | C]`` side by side, ``Count >= 5`` a comparison
(``GE(Count, 5)`` where it keeps its last result while what stands before it is off),
``(A)`` a coil, ``(/A)`` negated, ``(S A)`` set, ``(R A)`` reset, ``T1:TON(PT := T#5s)`` a block, ``ADD(A, 1, OUT => B)`` a function, ``-> End`` a
jump, ``<-`` a return, ``End:`` at the start a label. What stands in call brackets is written as in Structured Text (IEC 61131-3:2013, 7.3.3), a
pin that contacts feed as ``R := [A /B]``, ``A1 := _`` and ``Y1 => _`` where power goes in or on at an unusual one; a sign before a pin's name
inverts it or asks for an edge, ``T1:TON(/IN, PT := T#5s)``.
"""
