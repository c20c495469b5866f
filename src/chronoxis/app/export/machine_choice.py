"""Where an export is made: here, or by the machines at an address."""

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QWidget

from chronoxis.app.remembered import remembered
from chronoxis.core.cluster.machines import Machines, is_available

_HERE = "here"
_KEPT, _MOST_KEPT = "machines", 5  # addresses that were used lately
_ENCRYPTED = "tls://"


class MachineChoice(QWidget):
    """A list of addresses into which another can be typed; hidden where several machines cannot be used."""

    def __init__(self) -> None:
        super().__init__()
        self.box = QComboBox()
        self.box.setAccessibleName("Where it is made")
        self.box.setToolTip(
            "Here, or by the workers that wait at an address such as studio.local (chronoxis worker)"
        )
        self.box.setEditable(True)
        line = self.box.lineEdit()
        assert line is not None
        line.setAccessibleName("Where it is made")
        self.trust = QCheckBox("Trusted &LAN")
        self.trust.setToolTip(
            "Send to another machine without encryption; not needed where the address begins with tls://"
        )
        self.setVisible(is_available())
        self._show_kept()
        self.box.currentTextChanged.connect(lambda _: self._show_trust())
        self._show_trust()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.box, 1)
        layout.addWidget(self.trust)

    @property
    def machines(self) -> Machines | None:
        """What is chosen; None for this machine alone. Whether they can be used is not looked at."""
        address = self.box.currentText().strip()
        if address in ("", _HERE):
            return None
        return Machines(address, insecure=self.trust.isChecked())

    def keep(self, machines: Machines) -> None:
        """Offer an address that was used again, first of all."""
        others = (address for address in self._kept() if address != machines.address)
        remembered().setValue(_KEPT, [machines.address, *others][:_MOST_KEPT])
        self._show_kept(machines.address)

    def _kept(self) -> list[str]:
        kept = remembered().value(_KEPT)
        return [kept] if isinstance(kept, str) else [str(address) for address in kept or ()]

    def _show_kept(self, chosen: str = _HERE) -> None:
        self.box.clear()
        self.box.addItems([_HERE, *self._kept()])
        self.box.setCurrentText(chosen)

    def _show_trust(self) -> None:
        machines = self.machines
        self.trust.setVisible(machines is not None and not machines.address.startswith(_ENCRYPTED))
