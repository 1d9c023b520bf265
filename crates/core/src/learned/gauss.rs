//! Normal variables together: a symmetric matrix, its inverse by Cholesky, and changes of rank one.

/// A symmetric positive definite matrix, held whole, row by row.
#[derive(Clone, Debug, PartialEq)]
pub struct Symmetric {
    size: usize,
    cells: Vec<f64>,
}

impl Symmetric {
    /// All noughts.
    pub fn zero(size: usize) -> Self {
        Self { size, cells: vec![0.0; size * size] }
    }

    /// How many rows it has.
    pub fn size(&self) -> usize {
        self.size
    }

    /// The value at a row and a column.
    pub fn at(&self, i: usize, j: usize) -> f64 {
        self.cells[i * self.size + j]
    }

    /// Sets a value on both sides of the diagonal.
    pub fn set(&mut self, i: usize, j: usize, value: f64) {
        self.cells[i * self.size + j] = value;
        self.cells[j * self.size + i] = value;
    }

    fn row(&self, i: usize) -> &[f64] {
        &self.cells[i * self.size..(i + 1) * self.size]
    }

    /// Adds `w·x·xᵀ` for a vector of few entries.
    pub fn add_outer(&mut self, x: &[(usize, f64)], w: f64) {
        for (i, xi) in x {
            for (j, xj) in x {
                self.cells[i * self.size + j] += w * xi * xj;
            }
        }
    }

    /// `A·x` for a vector of few entries.
    pub fn times(&self, x: &[(usize, f64)]) -> Vec<f64> {
        let mut out = vec![0.0; self.size];
        for (j, xj) in x {
            for (o, a) in out.iter_mut().zip(self.row(*j)) {
                *o += a * xj;
            }
        }
        out
    }

    /// `xᵀ·A·y` for vectors of few entries.
    pub fn between(&self, x: &[(usize, f64)], y: &[(usize, f64)]) -> f64 {
        x.iter().map(|(i, xi)| y.iter().map(|(j, yj)| xi * yj * self.at(*i, *j)).sum::<f64>()).sum()
    }

    /// Of a covariance, what is left once `x` was measured with noise of precision `w`; a negative `w`
    /// takes such a measurement back (Sherman and Morrison).
    pub fn learn(&mut self, x: &[(usize, f64)], w: f64) {
        let column = self.times(x);
        let own: f64 = x.iter().map(|(i, xi)| column[*i] * xi).sum();
        let gain = w / (1.0 + w * own);
        for (i, ci) in column.iter().enumerate() {
            let row = &mut self.cells[i * self.size..(i + 1) * self.size];
            for (cell, cj) in row.iter_mut().zip(&column) {
                *cell -= gain * ci * cj;
            }
        }
    }

    /// The inverse, by Cholesky; nothing where it is not positive definite.
    pub fn inverse(&self) -> Option<Self> {
        let n = self.size;
        let mut l = vec![0.0; n * n];
        for i in 0..n {
            for j in 0..=i {
                let (a, b) = (&l[i * n..i * n + j], &l[j * n..j * n + j]);
                let rest = self.at(i, j) - dot(a, b);
                l[i * n + j] = if i == j {
                    if rest <= 0.0 {
                        return None;
                    }
                    rest.sqrt()
                } else {
                    rest / l[j * n + j]
                };
            }
        }
        // The columns of L⁻¹, each as a row, from the diagonal on.
        let mut inverse = vec![0.0; n * n];
        for j in 0..n {
            inverse[j * n + j] = 1.0 / l[j * n + j];
            for i in j + 1..n {
                let known = &inverse[j * n + j..j * n + i];
                inverse[j * n + i] = -dot(&l[i * n + j..i * n + i], known) / l[i * n + i];
            }
        }
        let mut out = Self::zero(n);
        for i in 0..n {
            for j in 0..=i {
                // (LLᵀ)⁻¹ = L⁻ᵀL⁻¹
                let (a, b) = (&inverse[i * n + i..(i + 1) * n], &inverse[j * n + i..(j + 1) * n]);
                out.set(i, j, dot(a, b));
            }
        }
        Some(out)
    }
}

/// `Σ aᵢ·bᵢ` in eight sums beside each other, which a processor adds at once; always in the same order.
fn dot(a: &[f64], b: &[f64]) -> f64 {
    const WIDE: usize = 8;
    let (a_wide, b_wide) = (a.chunks_exact(WIDE), b.chunks_exact(WIDE));
    let rest: f64 = a_wide.remainder().iter().zip(b_wide.remainder()).map(|(x, y)| x * y).sum();
    let mut sums = [0.0; WIDE];
    for (x, y) in a_wide.zip(b_wide) {
        for ((sum, x), y) in sums.iter_mut().zip(x).zip(y) {
            *sum += x * y;
        }
    }
    sums.iter().sum::<f64>() + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    fn some() -> Symmetric {
        let mut a = Symmetric::zero(4);
        for i in 0..4 {
            a.set(i, i, 2.0 + f64::from(u8::try_from(i).unwrap()));
        }
        a.add_outer(&[(0, 1.0), (2, -0.5)], 3.0);
        a.add_outer(&[(1, 0.7), (2, 0.2), (3, 1.1)], 0.8);
        a
    }

    #[test]
    fn a_matrix_times_its_inverse_is_one() {
        let (a, b) = (some(), some().inverse().unwrap());
        for i in 0..4 {
            for j in 0..4 {
                let cell: f64 = (0..4).map(|k| a.at(i, k) * b.at(k, j)).sum();
                assert!((cell - f64::from(u8::from(i == j))).abs() < 1e-12, "{i} {j}: {cell}");
            }
        }
    }

    #[test]
    fn learning_one_by_one_is_inverting_the_sum_and_can_be_taken_back() {
        let x = [(0, 0.4), (3, -1.0)];
        let mut more = some();
        more.add_outer(&x, 1.7);
        let (before, want) = (some().inverse().unwrap(), more.inverse().unwrap());
        let mut got = before.clone();
        got.learn(&x, 1.7);
        let close = |a: &Symmetric, b: &Symmetric| {
            a.cells.iter().zip(&b.cells).all(|(x, y)| (x - y).abs() < 1e-12)
        };
        assert!(close(&got, &want));
        got.learn(&x, -1.7);
        assert!(close(&got, &before));
    }

    #[test]
    fn what_is_not_positive_definite_has_no_inverse() {
        let mut a = Symmetric::zero(2);
        a.set(0, 1, 1.0);
        assert_eq!(a.inverse(), None);
    }
}
