"""Paper and thin-layer chromatography: plates, spots, Rf.

``plate``         what can be written about a plate, and the plate it adds up to
``eluent``        mixtures as people write them
``rf``            the formulas
``judge``         the findings
``work_out``      plate → results, findings, progress
``reading_line``  short typed readings
"""
