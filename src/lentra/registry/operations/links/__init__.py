"""Links between realms: they are added, edited and taken away here, and what follows from them is settled.

What both of two realms that meet have in pools is kept out in one of them, in favour of the other, so no hand-out ever
looks at another realm.
"""
