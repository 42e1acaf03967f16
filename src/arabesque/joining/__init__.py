"""What lies between patches: blends that go on in them as smoothly as asked."""

from arabesque.joining.best_pull import best_pulls
from arabesque.joining.blend import Blend, BlendSide, Ways, blend

__all__ = ["Blend", "BlendSide", "Ways", "best_pulls", "blend"]
