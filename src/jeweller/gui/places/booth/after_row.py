"""What can be done after a take: slower, only the bad bar, joined, wider, the next layer."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QWidget

from jeweller.booth.attempts import BoothTake
from jeweller.booth.ladder import layer_name, layers_for, worst_bar
from jeweller.gui.places.booth.model import BoothModel, BoothStage
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import _


class AfterRow(QWidget):
    """Buttons with their keys; those that lead nowhere are not there."""

    def __init__(self, model: BoothModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = model
        row = FlowRow(self, spacing=4)
        self.slower = QPushButton(_("Slower (S)"))
        self.slower.clicked.connect(model.slower)
        self.bar = QPushButton()
        self.bar.clicked.connect(model.bad_bar)
        self.join = QPushButton(_("Join the next (J)"))
        self.join.clicked.connect(model.join)
        self.wider = QPushButton(_("Wider (W)"))
        self.wider.setToolTip(_("A bar alone, two joined, the line, the whole"))
        self.wider.clicked.connect(model.widen)
        self.layer = QPushButton()
        self.layer.clicked.connect(self._next_layer)
        self.harder = QPushButton()
        self.know = QPushButton(_("I know this tune"))
        self.know.clicked.connect(model.know_it)
        self.bar.setAccessibleName(_("Only the bar that most is to be mended in"))
        self.layer.setAccessibleName(_("The next layer"))
        self.harder.setAccessibleName(_("On to another piece"))
        for button in (self.slower, self.bar, self.join, self.wider, self.layer, self.harder, self.know):
            row.addWidget(button)

    def refresh(self) -> None:
        """What leads on from the take that is shown."""
        model, take = self.model, self.model.take
        after = model.stage == BoothStage.VERDICT
        bar = worst_bar(take) if take is not None else ""
        self.slower.setVisible(after)
        self.bar.setVisible(after and bool(bar) and model.plan.bars != bar)
        self.bar.setText(_("Only bar {bar} (B)").format(bar=bar))
        for button in (self.join, self.wider):
            button.setVisible(bool(model.plan.bars) and model.stage in (BoothStage.VERDICT, BoothStage.READY))
        layer = self._following(take) if after else ""
        self.layer.setVisible(bool(layer))
        if layer:
            self.layer.setText(_("Next layer: {layer}").format(layer=layer_name(layer)))
        self.know.setVisible(model.stage == BoothStage.LOOKING)
        self.harder.hide()
        self.setVisible(any(not b.isHidden() for b in self.findChildren(QPushButton)))

    def _following(self, take: BoothTake | None) -> str:
        """The layer that comes after the one that is practised, by what is to be mended."""
        layers = layers_for(take) if take is not None else ()
        if not layers:
            return ""
        at = layers.index(self.model.plan.layer) if self.model.plan.layer in layers else -1
        return layers[(at + 1) % len(layers)]

    def _next_layer(self) -> None:
        layer = self._following(self.model.take)
        if layer:
            self.model.set_plan(layer=layer, keys=False)

    def offer_next(self, title: str) -> None:
        """Another piece to read at sight."""
        self.harder.setText(_("On to “{title}”").format(title=title))
        self.harder.show()
        self.show()
