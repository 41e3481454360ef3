"""Student's t: how wide an interval is that a few samples tell."""


def student_quantile(level: float, freedom: int) -> float:
    """The amount below which `level` of the cases lie, with so many degrees of freedom (Student, 1908).

    >>> round(student_quantile(0.95, 3), 3)
    2.353
    """
    from scipy.special import stdtrit  # takes a while to import

    return float(stdtrit(freedom, level))
