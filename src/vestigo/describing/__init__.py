"""What is in a trace before any cache.

survey    where all comes together;  traits  the numbers of a look-up;  measure  how they are counted
verdict   what they say of a look-up;  findings  what is odd in the recording;  curves  the least room that is enough
"""
