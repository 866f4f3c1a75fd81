"""All cases of an attempt whose facts are partly open: which outcomes are possible, and what they turn on.

An outcome is a function of the open facts; it is held as a decision diagram in which every open fact is a variable with
as many values as the tests of the policies can tell apart. What is possible, what matters and the tree are read off it.
Not here: deciding one attempt (`decide`), and saying the answer in words (`words.cases`).
"""
