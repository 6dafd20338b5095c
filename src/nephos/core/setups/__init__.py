"""How setups of each kind are worked out, one module a kind. The fields of a setup are in `nephos.core.plan.setups`."""
