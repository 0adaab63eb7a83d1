"""Nervus: is it the throttle's sensor, its wiring, or the throttle body, and how sure can one be?

SPDX-License-Identifier: GPL-3.0-or-later
"""

__version__ = "0.1.0"
