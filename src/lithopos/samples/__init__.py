"""Made-up sample data, with the truth beside it.

Nothing here is shared with the solving code except the renderer package, so that an error in
one cannot cancel an error in the other: cameras, projections, colour coding and materials are
written a second time on purpose.
"""
