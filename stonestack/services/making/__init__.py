"""The making of results: scheduler, graph, renders, and what is measured of them."""
