"""The piece of ground: geodesy, outlines, line spacing for each kind of work, coverage lines.

It knows nothing of packs and their energy; `sorties` joins the two.
"""
