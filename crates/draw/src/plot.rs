//! What plots are drawn on: `plotters` finds axes, ticks and places; every pixel and every letter is ours, hard-edged, in our
//! labels' font. No font of the system is asked for, so that a plot has the same bytes everywhere.

use std::convert::Infallible;

use image::Rgba;
use plotters_backend::text_anchor::{HPos, VPos};
use plotters_backend::{
    BackendColor, BackendCoord, BackendStyle, BackendTextStyle, DrawingBackend, DrawingErrorKind,
};

use crate::surface::Surface;
use crate::text;
use shibori_core::{Rect, Size};

type Drawn = Result<(), DrawingErrorKind<Infallible>>;

/// A part of a paper, for plotters.
pub(crate) struct Plot<'a> {
    paper: &'a mut Surface,
    rect: Rect,
}

impl<'a> Plot<'a> {
    /// What is drawn comes to be in a rectangle of a paper.
    pub(crate) fn on(paper: &'a mut Surface, rect: Rect) -> Self {
        Self { paper, rect }
    }

    fn at(&self, (x, y): BackendCoord) -> (i64, i64) {
        (i64::from(self.rect.x) + i64::from(x), i64::from(self.rect.y) + i64::from(y))
    }

    fn line(&mut self, from: BackendCoord, to: BackendCoord, style: &impl BackendStyle) {
        let (from, to) = (self.at(from), self.at(to));
        let tone = rgba(style.color());
        for down in 0..i64::from(style.stroke_width()) {
            self.paper.line((from.0, from.1 + down), (to.0, to.1 + down), [tone, tone], 1);
        }
    }
}

/// A color of plotters.
fn rgba(color: BackendColor) -> Rgba<u8> {
    let (red, green, blue) = color.rgb;
    Rgba([red, green, blue, (color.alpha * 255.0).round() as u8])
}

impl DrawingBackend for Plot<'_> {
    type ErrorType = Infallible;

    fn get_size(&self) -> (u32, u32) {
        (self.rect.width, self.rect.height)
    }

    fn ensure_prepared(&mut self) -> Drawn {
        Ok(())
    }

    fn present(&mut self) -> Drawn {
        Ok(())
    }

    fn draw_pixel(&mut self, point: BackendCoord, color: BackendColor) -> Drawn {
        let (x, y) = self.at(point);
        self.paper.plot(x, y, rgba(color));
        Ok(())
    }

    fn draw_line<S: BackendStyle>(&mut self, from: BackendCoord, to: BackendCoord, style: &S) -> Drawn {
        self.line(from, to, style);
        Ok(())
    }

    fn draw_path<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(
        &mut self,
        path: I,
        style: &S,
    ) -> Drawn {
        let points: Vec<BackendCoord> = path.into_iter().collect();
        points.windows(2).for_each(|pair| self.line(pair[0], pair[1], style));
        Ok(())
    }

    fn draw_rect<S: BackendStyle>(
        &mut self,
        upper_left: BackendCoord,
        bottom_right: BackendCoord,
        style: &S,
        fill: bool,
    ) -> Drawn {
        let (from, to) = (self.at(upper_left), self.at(bottom_right));
        let tone = rgba(style.color());
        if fill {
            for y in from.1..=to.1 {
                self.paper.line((from.0, y), (to.0, y), [tone, tone], 1);
            }
        } else {
            self.paper.stroke_rect(from, (to.0 - from.0 + 1, to.1 - from.1 + 1), [tone, tone]);
        }
        Ok(())
    }

    fn draw_text<S: BackendTextStyle>(&mut self, label: &str, style: &S, point: BackendCoord) -> Drawn {
        let (x, y) = self.at(point);
        let (width, height) = (i64::from(text::width(label)), i64::from(text::LINE));
        let left = match style.anchor().h_pos {
            HPos::Left => x,
            HPos::Center => x - width / 2,
            HPos::Right => x - width,
        };
        let top = match style.anchor().v_pos {
            VPos::Top => y,
            VPos::Center => y - height / 2,
            VPos::Bottom => y - height,
        };
        self.paper.draw_text(label, left.max(0) as u32, top.max(0) as u32, rgba(style.color()));
        Ok(())
    }

    fn estimate_text_size<S: BackendTextStyle>(
        &self,
        label: &str,
        _: &S,
    ) -> Result<(u32, u32), DrawingErrorKind<Infallible>> {
        let Size { width, height } = Size::new(text::width(label), text::LINE);
        Ok((width, height))
    }
}
