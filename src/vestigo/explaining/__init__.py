"""Why a number is what it is, and what would change it.

hypotheses  what could be otherwise, and which of it comes nearest
why         the story of a key;  check  what rules earn, and likely mistakes
drive       the user's own cache beside the replay;  confirm  counters of a running cache beside the prediction
report      all of the work on one trace, for whoever decides
"""
