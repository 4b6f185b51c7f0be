"""The work itself, without an interface: a job is a value, everything else is a function of it.

wording -> outline -> laid outline -> crafted piece -> scene -> pictures and files
blank   -> body    ----^
"""
