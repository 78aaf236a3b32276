"""What is good or wrong with maps and files, in words: checks, verdicts, advice.

Changes nothing.
"""
