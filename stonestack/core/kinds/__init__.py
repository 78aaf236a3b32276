"""What a step, a mask, a node and a finding *are*: their models and what they may refer to.

None of them itself.
"""
