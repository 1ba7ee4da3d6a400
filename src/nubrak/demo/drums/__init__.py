"""Drums made from code: heads, metal, hands, small percussion, electronic sounds."""

from nubrak.demo.drums.electronic import Circuit
from nubrak.demo.drums.flesh import Flesh
from nubrak.demo.drums.heads import MEMBRANE, Head
from nubrak.demo.drums.metal import Metal
from nubrak.demo.drums.small import Bar, Grains, Jingles

__all__ = ["MEMBRANE", "Bar", "Circuit", "Flesh", "Grains", "Head", "Jingles", "Metal"]
